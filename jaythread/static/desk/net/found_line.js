// A line of the stack whose alpha is found, not drawn: the chosen one, its long work, and how it stands, which is asked for when nothing has
// changed for a moment.

import { get } from "./api.js";

const QUIET = 400; // ms without a change before it is asked how a line stands

export class FoundLine extends EventTarget {
  /** mode: of the line. kinds: of long work after which more of it is found; the first one finds it.
   *  @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits
   *  @param {import("./mattes.js").Mattes} mattes @param {import("./work.js").Work} work @param {string} mode @param {string[]} kinds */
  constructor(store, edits, mattes, work, mode, kinds) {
    super();
    this.store = store;
    this.edits = edits;
    this.mattes = mattes;
    this.work = work;
    this.mode = mode;
    this.kinds = kinds;
    this.state = null; // of the chosen line: {name, entry, revision, frames} and what else is told of it
    store.addEventListener("changed", () => this.later(QUIET));
    store.jobs.addEventListener("jobs", (e) => {
      if (!(/** @type {CustomEvent} */ (e).detail.some((job) => kinds.includes(job.kind) && job.subject === this.chosen?.id))) return;
      this.later(0, true);
      this.dispatchEvent(new Event("state"));
    });
  }

  // The line of the present stack that a shape makes, if it is of this mode.
  lineOf(shape) {
    return shape && this.store.selection.stack().find((line) => line.shape === shape.id && line.mode === this.mode);
  }
  get chosen() {
    return this.lineOf(this.store.selection.shape);
  }
  get job() {
    return this.store.jobs.of(this.kinds[0], this.chosen?.id);
  }

  // Where it is asked how a line stands.
  /** @param {{id: string}} _line @returns {string} */
  at(_line) {
    throw new Error("each mode has its own");
  }

  // anew: what is known of it is old, though the document has not changed.
  later(wait, anew = false) {
    clearTimeout(this.timer);
    const line = this.chosen;
    if (!line) this.state = null;
    else this.timer = setTimeout(() => this.ask(line), wait);
    if (anew && this.state) this.state.name = "";
  }

  async ask(line) {
    const { document, pending } = this.store;
    const name = `${line.id}/${document.revision}`;
    if (this.state?.name === name) return;
    if (this.edits.waiting.length || pending.dragging.size) return this.later(QUIET);
    try {
      const told = await get(this.at(line));
      if (this.chosen?.id !== line.id) return;
      const before = this.state?.frames.length;
      this.state = { ...told, name, entry: line.id, revision: document.revision, frames: told.frames || told.filled };
      if (before !== undefined && before !== this.state.frames.length) this.mattes.solvedMore();
      this.dispatchEvent(new Event("state"));
    } catch {
      /* without a connection it is asked with the next change */
    }
  }

  findAll() {
    return this.work.ask(this.kinds[0], this.chosen?.id || null);
  }

  cancel() {
    return this.work.cancel(this.job);
  }
}
