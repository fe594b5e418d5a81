// A loop drawn freehand: the line follows the hand, the core fits few points to it.

import { toScreen } from "../geom/view.js";
import { newId } from "../net/api.js";
import * as signs from "../view/signs.js";

const OFF = 1.2; // screen px that the outline may be off the line
const STEP = 1.5; // screen px between two places that are kept
const LEAST = 8; // places that a loop needs

export class Freehand {
  constructor(desk) {
    this.desk = desk;
    this.clear();
  }

  clear() {
    this.path = [];
    this.scale = 1;
  }

  down(e, p) {
    this.path = [[p.x, p.y]];
    this.scale = p.scale;
  }

  move(e, p) {
    if (!this.path.length) return;
    for (const one of e.getCoalescedEvents?.() || []) this.add(this.desk.pointer.place(one));
    this.add(p);
    this.desk.stage.draw("outline");
  }

  add(p) {
    const [x, y] = this.path.at(-1);
    if (Math.hypot(p.x - x, p.y - y) * p.scale >= STEP) this.path.push([p.x, p.y]);
  }

  up() {
    const { path, scale } = this;
    this.clear();
    if (path.length < LEAST) {
      this.desk.stage.draw("outline");
      return this.desk.tell("Draw around the subject in one go, and let go where you began.");
    }
    const tolerance = Math.min(50, Math.max(0.05, OFF / scale));
    this.desk.traced({ do: "freehand", shape: newId(), entry: newId(), frame: this.desk.store.frame, path, tolerance });
  }

  cancel() {
    const was = this.path.length;
    this.clear();
    if (!was) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    if (this.path.length > 1) signs.loop(pen, this.path.map(([x, y]) => toScreen(view, x, y)));
  }
}
