// A stroke along the subject's edge: the chosen outline follows it on this frame, all of it or the stretch between the stroke's ends.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { Stroke } from "./stroke.js";

const CLOSES = 22; // screen px: a stroke that ends so near to where it began goes all the way round
const LEAST = 5; // places that a stroke needs

export class Redraw extends Stroke {
  constructor(desk) {
    super(desk, 1.5);
  }

  up() {
    const { path, scale } = this;
    this.clear();
    this.desk.stage.draw("outline");
    if (path.length < LEAST) return this.desk.tell("Draw along the edge in one go: all the way round, or from the outline and back to it.");
    const [a, b] = [path[0], path[path.length - 1]];
    const far = Math.max(...path.map(([x, y]) => Math.hypot(x - a[0], y - a[1])));
    const gap = Math.hypot(a[0] - b[0], a[1] - b[1]);
    this.desk.redrawn(path, gap * scale < CLOSES && gap < far / 2);
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    if (this.path.length > 1) glyphs.stroke(pen, this.path.map(([x, y]) => toScreen(view, x, y)));
  }
}
