// Painting a fringe: where the brush goes, alpha is solved from the plate. What it paints becomes an outline that rides with its shape.

import { toScreen } from "../geom/view.js";
import * as signs from "../view/signs.js";

const STEP = 2; // screen px between two places that are kept

export class Brush {
  constructor(desk) {
    this.desk = desk;
    this.radius = 24; // plate px
    this.clear();
  }

  clear() {
    this.path = [];
    this.under = null;
  }

  down(e, p) {
    this.path = [[p.x, p.y]];
    this.move(e, p);
  }

  move(e, p) {
    this.under = [p.x, p.y];
    if (this.path.length) {
      for (const one of e.getCoalescedEvents?.() || []) this.add(this.desk.pointer.place(one));
      this.add(p);
    }
    this.desk.stage.draw("outline");
  }

  add(p) {
    const [x, y] = this.path.at(-1);
    if (Math.hypot(p.x - x, p.y - y) * p.scale >= STEP) this.path.push([p.x, p.y]);
  }

  up() {
    const { path } = this;
    this.clear();
    if (path.length) this.desk.fringes.make(path, this.radius);
    this.desk.stage.draw("outline");
  }

  cancel() {
    const was = this.path.length;
    this.clear();
    if (!was) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }

  hover(e, p) {
    this.under = [p.x, p.y];
    this.desk.stage.draw("outline");
    return "none";
  }

  paint(pen, view) {
    const places = this.path.map(([x, y]) => toScreen(view, x, y));
    signs.brush(pen, places, this.under && toScreen(view, ...this.under), this.radius * view.scale);
  }
}
