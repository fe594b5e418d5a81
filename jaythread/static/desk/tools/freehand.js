// A loop drawn freehand: the line follows the hand, the core fits few points to it.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { newId } from "../net/api.js";
import { Stroke } from "./stroke.js";

const OFF = 1.2; // screen px that the outline may be off the line
const LEAST = 8; // places that a loop needs

export class Freehand extends Stroke {
  constructor(desk) {
    super(desk, 1.5);
  }

  up() {
    const { path, scale } = this;
    this.clear();
    if (path.length < LEAST) {
      this.desk.stage.draw("outline");
      return this.desk.tell("Draw around the subject in one go, and let go where you began.");
    }
    const tolerance = Math.min(50, Math.max(0.05, OFF / scale));
    this.desk.traced({ do: "freehand", shape: newId(), entry: newId(), frame: this.desk.store.view.frame, path, tolerance });
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    if (this.path.length > 1) glyphs.loop(pen, this.path.map(([x, y]) => toScreen(view, x, y)));
  }
}
