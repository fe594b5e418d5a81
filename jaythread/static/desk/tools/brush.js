// Painting a fringe: where the brush goes, alpha is solved from the plate. What it paints becomes an outline that rides with its shape.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { Stroke } from "./stroke.js";

export class Brush extends Stroke {
  constructor(desk) {
    super(desk, 2);
    this.radius = 24; // plate px
    this.under = null;
  }

  clear() {
    super.clear();
    this.under = null;
  }

  down(e, p) {
    super.down(e, p);
    this.move(e, p);
  }

  move(e, p) {
    this.under = [p.x, p.y];
    super.move(e, p);
  }

  up() {
    const { path } = this;
    this.clear();
    if (path.length) this.desk.fringes.make(path, this.radius);
    this.desk.stage.draw("outline");
  }

  hover(e, p) {
    this.under = [p.x, p.y];
    this.desk.stage.draw("outline");
    return "none";
  }

  paint(pen, view) {
    const places = this.path.map(([x, y]) => toScreen(view, x, y));
    glyphs.brush(pen, places, this.under && toScreen(view, this.under[0], this.under[1]), this.radius * view.scale);
  }
}
