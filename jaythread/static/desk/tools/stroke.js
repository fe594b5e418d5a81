// A line that follows the hand: what the freehand loop and the brush have in common.

export class Stroke {
  // step: screen px between two places that are kept
  constructor(desk, step) {
    this.desk = desk;
    this.step = step;
    /** @type {number[][]} */
    this.path = [];
  }

  clear() {
    this.path = [];
  }

  down(e, p) {
    this.path = [[p.x, p.y]];
  }

  move(e, p) {
    if (this.path.length) {
      for (const one of e.getCoalescedEvents?.() || []) this.add(this.desk.pointer.place(one));
      this.add(p);
    }
    this.desk.stage.draw("outline");
  }

  add(p) {
    const [x, y] = this.path[this.path.length - 1];
    if (Math.hypot(p.x - x, p.y - y) * p.scale >= this.step) this.path.push([p.x, p.y]);
  }

  cancel() {
    const was = this.path.length;
    this.clear();
    if (!was) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }
}
