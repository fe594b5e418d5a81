// A line that follows the hand: what the freehand loop and the brush have in common.

// A mouse and a finger are always pressed alike.
const pressOf = (e) => (e.pointerType === "pen" && e.pressure > 0 ? e.pressure : 0.5);

export class Stroke {
  // step: screen px between two places that are kept
  constructor(desk, step) {
    this.desk = desk;
    this.step = step;
    this.scale = 1; // screen px a plate px, when it was begun
    /** @type {number[][]} */
    this.path = [];
    /** @type {number[]} */
    this.presses = []; // how hard a pen was pressed at each place, 0..1; 0.5 where nothing tells
  }

  clear() {
    this.path = [];
    this.presses = [];
  }

  down(e, p) {
    this.scale = p.scale;
    this.path = [[p.x, p.y]];
    this.presses = [pressOf(e)];
  }

  move(e, p) {
    if (this.path.length) {
      for (const one of e.getCoalescedEvents?.() || []) this.add(this.desk.pointer.place(one), pressOf(one));
      this.add(p, pressOf(e));
    }
    this.desk.stage.draw("outline");
  }

  add(p, press = 0.5) {
    const [x, y] = this.path[this.path.length - 1];
    if (Math.hypot(p.x - x, p.y - y) * p.scale >= this.step) {
      this.path.push([p.x, p.y]);
      this.presses.push(press);
    }
  }

  cancel() {
    const was = this.path.length;
    this.clear();
    if (!was) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }
}
