// What the desk knows: the shot, its shapes with their outlines on every frame, what is chosen. Says when something changed.

export function decodeOutlines(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Float32Array(bytes.buffer);
}

export class Store extends EventTarget {
  constructor(data) {
    super();
    this.shot = data.shot;
    this.plate = data.plate;
    this.mayTrace = data.mayTrace;
    this.frame = data.shot.first;
    this.step = "trace";
    this.look = "plate";
    this.shapes = new Map();
    this.chosen = null;
    this.points = new Set();
    this.local = new Map();
    this.stale = new Set();
    this.hidden = false;
    this.drawing = null;
    this.take(data);
    this.matte = this.mattes.length ? this.mattes[0].id : null;
    const top = this.stack().at(-1);
    this.chosen = top ? top.shape : null;
  }

  say(what, detail) {
    this.dispatchEvent(new CustomEvent(what, { detail }));
  }

  // Take in what the server says; local versions of the shapes it answers for are dropped.
  take(data) {
    for (const field of ["revision", "shutter", "mattes", "undo", "redo"]) if (field in data) this[field] = data[field];
    for (const shape of data.shapes) {
      shape.outlines = decodeOutlines(shape.outlines);
      this.shapes.set(shape.id, shape);
      this.local.delete(shape.id);
      this.stale.delete(shape.id);
    }
    for (const id of data.gone || []) {
      this.shapes.delete(id);
      this.local.delete(id);
      if (this.chosen === id) this.choose(null);
    }
    this.say("changed");
  }

  get matteNow() {
    return this.mattes.find((m) => m.id === this.matte) || null;
  }

  stack() {
    const matte = this.matteNow;
    return matte ? matte.stack.filter((e) => this.shapes.has(e.shape)) : [];
  }

  get shape() {
    return this.chosen ? this.shapes.get(this.chosen) : null;
  }

  isLive(shape, frame = this.frame) {
    return !shape.live.length || shape.live.some(([a, b]) => frame >= a && frame <= b);
  }

  // The outline of a shape on a frame, with what is being dragged on it.
  outline(shape, frame = this.frame) {
    const local = this.local.get(shape.id);
    if (local && local.frame === frame) return local.points;
    const n = shape.curves.length * 6;
    const at = Math.min(this.shot.last, Math.max(this.shot.first, frame)) - this.shot.first;
    return shape.outlines.subarray(at * n, (at + 1) * n);
  }

  soft(shape, frame = this.frame) {
    const row = shape.soft.length > 1 ? shape.soft[frame - this.shot.first] : shape.soft[0];
    return { inner: row[0], outer: row[1], shift: row[2], opacity: row[3], ...(shape.localSoft || {}) };
  }

  setLocal(shape, points) {
    this.local.set(shape.id, { frame: this.frame, points });
    this.say("dragged", shape.id);
  }

  go(frame) {
    const to = Math.min(this.shot.last, Math.max(this.shot.first, Math.round(frame)));
    if (to === this.frame) return;
    this.frame = to;
    this.say("frame");
  }

  choose(id) {
    if (this.chosen === id) return;
    this.chosen = id;
    this.points = new Set();
    this.say("changed");
  }

  set(field, value) {
    if (this[field] === value) return;
    this[field] = value;
    this.say("changed");
  }

  // Frames that hold a key of the chosen shape, in order.
  keyFrames() {
    const shape = this.shape;
    if (!shape) return [];
    return [...new Set([...shape.form, ...shape.placement, ...shape.settings].map((k) => k.frame))].sort((a, b) => a - b);
  }

  // What a change would touch, in words: [quiet, now, quiet].
  touches() {
    const shape = this.shape;
    if (this.drawing) return ["Click for a corner, drag for a curve; click the first point to close", "", ""];
    if (!this.mayTrace) return ["You can look here; artists and leads trace", "", ""];
    if (!shape) return ["Nothing is chosen: a click on an outline chooses it", "", ""];
    const where = ` of ${shape.name} on frame ${this.frame}, nothing else`;
    if (this.step === "place") return ["A change here keys ", "the placement", where];
    if (this.step === "soften") return ["A change here keys ", "the soft edge", where];
    const all = shape.curves.length;
    const some = this.points.size;
    return ["A change here keys ", some ? `${some} of ${all} points` : "the points you move", where];
  }
}
