// Strokes drawn on the picture for a note, before it is sent.

import { toScreen } from "../geom/view.js";
import { noted } from "../glyphs/tracks.js";
import { Stroke } from "./stroke.js";

const MOST = 60;

export class Noting extends Stroke {
  constructor(desk) {
    super(desk, 3);
    /** @type {number[][][]} */
    this.strokes = [];
  }

  clear() {
    super.clear();
    this.strokes = [];
  }

  up() {
    const { path } = this;
    this.path = [];
    if (path.length > 1 && this.strokes.length < MOST) this.strokes.push(path);
    this.desk.stage.draw("outline");
  }

  // The last stroke is taken back.
  back() {
    this.strokes.pop();
    this.desk.stage.draw("outline");
  }

  cancel() {
    const was = this.strokes.length || this.path.length;
    this.clear();
    if (!was) this.desk.store.view.set("drawing", false);
    this.desk.stage.draw("outline");
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    for (const path of [...this.strokes, this.path]) if (path.length > 1) noted(pen, path.map(([x, y]) => /** @type {[number, number]} */ (toScreen(view, x, y))));
  }
}
