// A dividing edge: dragged along the edge, it covers all to the right of the hand's way, far beyond the picture.

import * as glyphs from "../glyphs/outlines.js";
import { newId } from "../net/api.js";

const STILL = 6; // screen px: a drag shorter than this has no direction
const SNAP = 15; // degrees with Shift

export class Dividing {
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
      const step = (SNAP * Math.PI) / 180;
      const angle = Math.round(Math.atan2(p.y - this.from.y, p.x - this.from.x) / step) * step;
      const far = Math.hypot(p.x - this.from.x, p.y - this.from.y);
      this.to.x = this.from.x + far * Math.cos(angle);
      this.to.y = this.from.y + far * Math.sin(angle);
    }
    this.desk.stage.draw("outline");
  }

  point() {
    return [this.from.x, this.from.y, 0, 0, this.to.x - this.from.x, this.to.y - this.from.y];
  }

  up(e, p) {
    this.move(e, p);
    const short = !this.from || Math.hypot(p.sx - this.from.sx, p.sy - this.from.sy) < STILL;
    const points = short ? null : [this.point()];
    this.from = this.to = null;
    if (!points) return this.desk.tell("Drag along the edge: what lies to the right of the drag is covered.");
    const { frame } = this.desk.store.view;
    this.desk.traced({ do: "trace", kind: "dividing", shape: newId(), entry: newId(), frame, points, curves: [false] });
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
    if (this.from && this.from !== this.to) glyphs.half(pen, new Float32Array(this.point()), view);
  }
}
