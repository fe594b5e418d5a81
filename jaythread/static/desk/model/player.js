// Playing at the plate's true rate: which frame is due is told by the clock, so a slow machine drops frames and says how many.

export class Player extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.way = 0; // 1 on, -1 reversed, 0 not playing
    this.loop = null; // [first, last] to go round in, or the working range
    this.due = 0; // frames that should have been seen since the start
    this.seen = 0;
    this.back = null; // where to return to on stopping
    /** @type {(frame: number) => boolean} */
    this.isThere = () => true; // told by the composition root: whether a frame's picture is at hand
  }

  get range() {
    return this.loop || this.store.document.working;
  }

  toggle(way, comeBack = false) {
    if (this.way) return this.stop();
    this.way = way;
    this.store.view.set("playing", way, true);
    this.back = comeBack ? this.store.view.frame : null;
    this.due = this.seen = 0;
    this.from = this.store.view.frame;
    this.begun = performance.now();
    this.last = 0;
    this.dispatchEvent(new Event("state"));
    requestAnimationFrame((now) => this.tick(now));
  }

  stop() {
    this.way = 0;
    this.store.view.set("playing", 0, true);
    if (this.back !== null) this.store.view.go(this.back);
    this.back = null;
    this.dispatchEvent(new Event("state"));
    this.store.say("changed");
  }

  tick(now) {
    if (!this.way) return;
    const count = Math.floor((Math.max(0, now - this.begun) / 1000) * this.store.document.shot.rate);
    if (count > this.last) {
      this.due += count - this.last;
      this.last = count;
      const [first, last] = this.range;
      const long = last - first + 1;
      const frame = first + ((((this.from - first + this.way * count) % long) + long) % long);
      if (this.isThere(frame)) this.seen += 1; // a frame whose picture is not here yet is a dropped one
      this.store.view.go(frame);
      this.dispatchEvent(new Event("state"));
    }
    requestAnimationFrame((next) => this.tick(next));
  }

  // Begin or end the loop at a frame; once more on the same frame takes that end away.
  mark(end, frame) {
    const [first, last] = this.range;
    const whole = this.store.document.working;
    const at = end ? [first, last === frame ? whole[1] : frame] : [first === frame ? whole[0] : frame, last];
    if (at[0] > at[1]) at[end ? 0 : 1] = frame;
    this.loop = at[0] === whole[0] && at[1] === whole[1] ? null : at;
    this.dispatchEvent(new Event("state"));
    this.store.say("changed");
  }

  get says() {
    const dropped = this.due - this.seen;
    if (!this.way) return "";
    return `${this.way > 0 ? "playing" : "playing backwards"}, ${dropped ? `${dropped} of ${this.due} frames dropped` : "no frame dropped"}`;
  }
}
