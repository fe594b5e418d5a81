// Dragging the soft edge: from the outline outwards sets the outer reach, inwards the inner one. Keys the soft edge here.

import { nearest, winds } from "../geom/outline.js";
import { hit } from "../model/hit.js";

const STEP = 0.1; // px

export class Softening {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
  }

  down(e, p) {
    const { store } = this.desk;
    const found = hit(store, p.scale, p.x, p.y);
    if (found && !store.picked.has(found.shape.id)) store.choose(found.shape.id);
    if (store.shape && store.mayTrace) this.drag = { shape: store.shape, moved: false };
  }

  move(e, p) {
    const { drag } = this;
    if (!drag) return;
    const { store } = this.desk;
    const points = store.outline(drag.shape);
    const { shift } = store.soft(drag.shape);
    const inside = winds(points, p.x, p.y);
    const away = nearest(points, p.x, p.y).distance;
    const reach = Math.max(0, Math.round((inside ? away + shift : away - shift) / STEP) * STEP);
    drag.moved = true;
    this.desk.soften({ [inside ? "inner" : "outer"]: Number(reach.toFixed(1)) }, false);
  }

  up() {
    if (this.drag?.moved) this.desk.soften({}, true);
    this.drag = null;
  }

  cancel() {
    if (this.drag) this.desk.store.settle(this.drag.shape.id);
    this.drag = null;
    this.desk.store.say("changed");
  }

  hover() {
    return "ew-resize";
  }
}
