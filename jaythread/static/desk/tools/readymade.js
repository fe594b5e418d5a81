// Ready-made outlines: an ellipse or a box, dragged from corner to corner; Shift keeps it as wide as high.

import * as glyphs from "../glyphs/outlines.js";
import { newId } from "../net/api.js";

const STILL = 3; // screen px: a drag shorter than this is a click
const ROUND = 0.5522847498; // tangent of a quarter circle, as a part of its radius

export class Readymade {
  constructor(desk) {
    this.desk = desk;
    this.from = null;
    this.to = null;
  }

  down(e, p) {
    this.from = this.to = p;
  }

  move(e, p) {
    if (!this.from) return;
    this.to = { ...p };
    if (e.shiftKey) {
      const side = Math.max(Math.abs(p.x - this.from.x), Math.abs(p.y - this.from.y));
      this.to.x = this.from.x + side * Math.sign(p.x - this.from.x);
      this.to.y = this.from.y + side * Math.sign(p.y - this.from.y);
    }
    this.desk.stage.draw("outline");
  }

  // Points (six numbers each) between the two corners.
  points() {
    const [x0, x1] = [this.from.x, this.to.x].sort((a, b) => a - b);
    const [y0, y1] = [this.from.y, this.to.y].sort((a, b) => a - b);
    if (this.desk.store.view.drawing === "box") return [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(([x, y]) => [x, y, 0, 0, 0, 0]);
    const [cx, cy, rx, ry] = [(x0 + x1) / 2, (y0 + y1) / 2, (x1 - x0) / 2, (y1 - y0) / 2];
    return [[0, -1], [1, 0], [0, 1], [-1, 0]].map(([dx, dy]) => {
      const [tx, ty] = [-dy * rx * ROUND, dx * ry * ROUND];
      return [cx + dx * rx, cy + dy * ry, -tx, -ty, tx, ty];
    });
  }

  up(e, p) {
    this.move(e, p);
    const small = !this.from || Math.hypot(p.sx - this.from.sx, p.sy - this.from.sy) < STILL;
    const points = small ? null : this.points();
    const curves = points ? points.map(() => this.desk.store.view.drawing !== "box") : [];
    this.from = this.to = null;
    if (!points) return this.desk.tell("Drag from corner to corner.");
    this.desk.traced({ do: "trace", shape: newId(), entry: newId(), frame: this.desk.store.view.frame, points, curves });
  }

  cancel() {
    if (!this.from) this.desk.stopTracing();
    this.from = this.to = null;
    this.desk.stage.draw("outline");
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    if (this.from && this.from !== this.to) glyphs.thread(pen, new Float32Array(this.points().flat()), view, glyphs.OCHRE, { chosen: true });
  }
}
