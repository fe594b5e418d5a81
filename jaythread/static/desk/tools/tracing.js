// Tracing a new closed outline: click for a corner, drag for a curve, click the first point (or Enter) to close.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { NEAR } from "../model/hit.js";
import { newId } from "../net/api.js";

const STILL = 3; // screen px: a drag shorter than this is a click

export class Tracing {
  constructor(desk) {
    this.desk = desk;
    this.clear();
  }

  clear() {
    this.points = []; // [x, y, in x, in y, out x, out y, is a curve]
    this.pointer = null;
    this.pulling = null;
    this.closing = false;
    this.frame = null;
    this.reopened = null; // the shape whose outline was taken up again
  }

  // Take a closed outline up again: open between its last and its first point, or before the chosen one.
  reopen(shape, outline, from = 0) {
    this.clear();
    const n = shape.curves.length;
    for (let k = 0; k < n; k++) {
      const i = (from + k) % n;
      this.points.push([...outline.subarray(i * 6, i * 6 + 6), shape.curves[i]]);
    }
    this.frame = this.desk.store.view.frame;
    this.reopened = shape.id;
    this.desk.stage.draw("outline");
  }

  get any() {
    return this.points.length > 0;
  }

  nearFirst(p) {
    if (this.points.length < 3) return false;
    const [x, y] = this.points[0];
    return Math.hypot(x - p.x, y - p.y) * p.scale < NEAR + 2;
  }

  down(e, p) {
    this.closing = this.nearFirst(p);
    if (!this.any) this.frame = this.desk.store.view.frame;
    if (!this.closing) this.points.push([p.x, p.y, 0, 0, 0, 0, false]);
    this.pulling = p;
    this.pointer = p;
    this.desk.stage.draw("outline");
  }

  move(e, p) {
    this.pointer = p;
    if (this.pulling && Math.hypot(p.sx - this.pulling.sx, p.sy - this.pulling.sy) > STILL) {
      const point = this.closing ? this.points[0] : this.points.at(-1);
      const dx = p.x - point[0];
      const dy = p.y - point[1];
      point.splice(2, 5, -dx, -dy, dx, dy, true);
    }
    this.desk.stage.draw("outline");
  }

  up() {
    this.pulling = null;
    if (this.closing) this.finish();
    else this.desk.stage.draw("outline");
  }

  hover(e, p) {
    this.pointer = p;
    this.desk.stage.draw("outline");
    return this.nearFirst(p) ? "pointer" : "crosshair";
  }

  away() {
    this.pointer = null;
    this.desk.stage.draw("outline");
  }

  // Escape drops the outline in hand, and once more leaves tracing.
  cancel() {
    const left = this.any;
    this.clear();
    if (!left) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }

  takeBack() {
    this.points.pop();
    this.desk.stage.draw("outline");
  }

  finish() {
    if (this.points.length < 3) {
      this.desk.tell("An outline needs at least three points.");
      return;
    }
    const points = this.points.map((p) => p.slice(0, 6));
    const curves = this.points.map((p) => p[6]);
    const { frame, reopened } = this;
    this.clear();
    if (reopened) return this.desk.carriedOn(reopened, frame, points, curves);
    this.desk.traced({ do: "trace", shape: newId(), entry: newId(), frame, points, curves });
  }

  paint(pen, view) {
    if (!this.any) return;
    const flat = new Float32Array(this.points.flatMap((p) => p.slice(0, 6)));
    const n = this.points.length;
    glyphs.openThread(pen, flat, view, this.pulling || !this.pointer ? null : [this.pointer.x, this.pointer.y]);
    for (let i = 0; i < n; i++) {
      if (i === n - 1 || (this.closing && i === 0)) glyphs.tangents(pen, flat, i, view);
      glyphs.point(pen, flat, i, view, this.points[i][6], false);
    }
    if (n > 1) glyphs.heading(pen, flat, view);
    const [x, y] = toScreen(view, flat[0], flat[1]);
    glyphs.first(pen, x, y, this.pointer && this.nearFirst({ ...this.pointer, scale: view.scale }));
  }
}
