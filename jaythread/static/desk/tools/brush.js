// Painting a fringe: where the brush goes, alpha is solved from the plate. What it paints becomes an outline that rides with its shape.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { Stroke } from "./stroke.js";

// A pen pressed half way paints as wide as the brush is; lightly less, hard more.
const wide = (radius, press) => Math.max(1, Math.min(1000, radius * (0.3 + 1.4 * press)));

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
    const { path, radius } = this;
    const pen = this.presses.some((press) => press !== 0.5);
    const radii = pen ? this.presses.map((press) => wide(radius, press)) : null;
    this.clear();
    if (path.length) this.desk.fringes.make(path, radius, radii);
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
