// Letting the picture draw the in-betweens of a shape: asks for it, knows how far it is, and has the stretches beside a correction drawn again.

const DRAW = "shape.draw";
const FORESEE = "shape.foresee";
const SETTLES = 1200; // ms after a correction, before what lies beside it is drawn again
const CORRECTS = ["form", "place"];

const partsOf = (command) => (command?.do === "together" ? command.commands : command ? [command] : []);

export class Drawing extends EventTarget {
  #told = new Set(); // jobs whose end was said
  #again = new Map(); // by shape, the frames that were corrected since it was drawn, and by which edit

  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits @param {import("./work.js").Work} work */
  constructor(store, edits, work) {
    super();
    this.store = store;
    this.work = work;
    /** @type {(text: string) => void} */
    this.tell = () => {};
    this.inFront = []; // ids of shapes that pass in front of what is drawn
    edits.addEventListener("saved", (e) => this.#corrected(/** @type {CustomEvent} */ (e).detail));
    store.jobs.addEventListener("jobs", (e) => {
      for (const job of /** @type {CustomEvent} */ (e).detail) {
        if (job.kind === DRAW) this.#heard(job);
        if (job.kind === FORESEE) this.dispatchEvent(new Event("state"));
      }
    });
  }

  #heard(job) {
    this.dispatchEvent(new Event("state"));
    if (["waiting", "working"].includes(job.state) || this.#told.has(job.id)) return;
    this.#told.add(job.id);
    if (job.message && this.opened) this.tell(job.message);
    if (this.#again.has(job.subject)) this.#later();
  }

  get job() {
    return this.store.jobs.of(DRAW, this.store.selection.shape?.id);
  }
  get busy() {
    return this.store.jobs.isBusy(DRAW, this.store.selection.shape?.id);
  }

  // The look ahead at the chosen shape: which frames the picture will hardly draw.
  get foreseen() {
    return this.store.jobs.of(FORESEE, this.store.selection.shape?.id);
  }

  // Frames of a shape that are hard to draw by, and neither keyed nor drawn since: [frame, why].
  /** @param {any} shape */
  hard(shape) {
    const done = new Set([...[...shape.form, ...shape.placement].map((key) => key.frame), ...(this.trackOf(shape)?.frames || [])]);
    return (this.store.jobs.of(FORESEE, shape.id)?.partial.hard || []).filter(([frame]) => !done.has(frame));
  }

  // The track that a shape rides on by bending.
  /** @param {any} shape */
  trackOf(shape) {
    return shape?.carrier?.how === "bend" ? this.store.document.tracks.get(shape.carrier.track) : null;
  }

  // The outline of a frame as it is found, while it is drawn: places, and how sure.
  get live() {
    const found = this.busy && (this.job?.partial.path || []).find(([frame]) => frame === this.store.view.frame);
    return found ? { places: found[1], sure: found[2] } : null;
  }

  // Frames on which a key of a shape would help most, and that have none, the most helpful first.
  next(shape) {
    const keyed = new Set([...shape.form, ...shape.placement].map((key) => key.frame));
    return (this.trackOf(shape)?.next || []).filter((frame) => !keyed.has(frame));
  }

  // settings: {frame} between all keys, {frame, to} from a key on, {frame, beside} beside a key.
  draw(settings) {
    return this.#ask(DRAW, settings);
  }

  lookAhead() {
    return this.#ask(FORESEE, { frame: this.store.view.frame });
  }

  async #ask(kind, settings) {
    const { shape } = this.store.selection;
    if (!shape) return this.tell("Choose a shape first.");
    this.opened = true;
    try {
      await this.work.ask(kind, shape.id, { in_front: this.inFront.filter((id) => id !== shape.id), ...settings });
    } catch (error) {
      this.tell(error.message);
    }
  }

  cancel() {
    return this.work.cancel(this.job);
  }

  #corrected(edit) {
    for (const { do: what, shape, frame } of partsOf(edit.command)) {
      if (!CORRECTS.includes(what) || !this.trackOf(this.store.document.shapes.get(shape))) continue;
      this.#again.set(shape, (this.#again.get(shape) || new Map()).set(frame, edit.id));
      this.#later();
    }
  }

  #later() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.#drawAgain(), SETTLES);
  }

  async #drawAgain() {
    if (this.store.pending.dragging.size) return this.#later();
    for (const [shape, frames] of this.#again) {
      if (this.store.jobs.isBusy(DRAW, shape)) continue; // its end asks again
      const [[frame, follows]] = frames;
      frames.delete(frame);
      if (!frames.size) this.#again.delete(shape);
      try {
        await this.work.ask(DRAW, shape, { frame, beside: true, follows, in_front: this.inFront.filter((id) => id !== shape) });
      } catch {
        /* nothing lies beside it that could be drawn */
      }
    }
  }
}
