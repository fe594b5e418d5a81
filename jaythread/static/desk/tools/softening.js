// Dragging the soft edge: from the outline outwards sets the outer reach, inwards the inner one. Of the chosen points, or of the whole
// shape when none is chosen; a drag that begins at a point is that point's. Keys the soft edge here.

import { nearest, winds } from "../geom/outline.js";
import { hit } from "../model/hit.js";

const STEP = 0.1; // px
const STILL = 3; // screen px: a drag shorter than this is a click

export class Softening {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
  }

  down(e, p) {
    const { store } = this.desk;
    const found = hit(store, p.scale, p.x, p.y);
    if (found && !store.selection.has(found.shape.id)) store.selection.choose(found.shape.id);
    else if (found?.kind === "point" && found.shape.curves.length > 1) {
      const has = store.selection.pointsOf(found.shape.id).has(found.index);
      if (e.shiftKey && has) {
        store.selection.letPointGo(found.shape.id, found.index);
        return;
      }
      if (!has) store.selection.choose(found.shape.id, [found.index], e.shiftKey);
    }
    if (this.desk.fringes.chosen || this.desk.taught.chosen) return; // its figures are in the panel
    if (store.selection.editable.includes(store.selection.shape)) this.drag = { shape: store.selection.shape, from: p, on: Boolean(found), moved: false };
  }

  move(e, p) {
    const { drag } = this;
    if (!drag || (!drag.moved && Math.hypot(p.sx - drag.from.sx, p.sy - drag.from.sy) < STILL)) return;
    const { store } = this.desk;
    const points = store.pending.outline(drag.shape);
    const { shift } = store.pending.soft(drag.shape);
    const inside = winds(points, p.x, p.y);
    const away = nearest(points, p.x, p.y).distance;
    const reach = Math.max(0, Math.round((inside ? away + shift : away - shift) / STEP) * STEP);
    drag.moved = true;
    this.desk.soften({ [inside ? "inner" : "outer"]: Number(reach.toFixed(1)) }, false);
  }

  up() {
    const { store } = this.desk;
    if (this.drag?.moved) this.desk.soften({}, true);
    else if (this.drag && !this.drag.on && store.selection.pointCount) store.selection.letPointsGo();
    this.drag = null;
  }

  cancel() {
    if (this.drag) this.desk.store.pending.settle(this.drag.shape.id);
    this.drag = null;
    this.desk.store.say("changed");
  }

  hover(e, p) {
    return hit(this.desk.store, p.scale, p.x, p.y)?.kind === "point" ? "pointer" : "ew-resize";
  }
}
