// Taught lines: frames that are finished, what they taught, and how the chosen line stands.

import { isBusy } from "../model/jobs.js";
import { get, post } from "./api.js";

const QUIET = 400; // ms without a change before it is asked how a line stands
const TEACH = "taught.teach";
const OUTLINE = "taught.outline";

export class Taught extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits
   *  @param {import("./mattes.js").Mattes} mattes @param {import("./work.js").Work} work @param {import("./news.js").News} news */
  constructor(store, edits, mattes, work, news) {
    super();
    this.store = store;
    this.edits = edits;
    this.mattes = mattes;
    this.work = work;
    this.news = news;
    this.state = null; // of the chosen line: {name, finished, filled, taught, new, unseen, next, why}
    store.addEventListener("changed", () => this.later(QUIET));
    store.jobs.addEventListener("jobs", (e) => {
      if (!(/** @type {CustomEvent} */ (e).detail.some((job) => [TEACH, OUTLINE].includes(job.kind) && job.subject === this.chosen?.id))) return;
      if (this.state) this.state.name = ""; // more frames are filled by now
      this.dispatchEvent(new Event("state"));
      this.later(0);
    });
  }

  get chosen() {
    const { selection } = this.store;
    return selection.shape && selection.stack().find((line) => line.shape === selection.shape.id && line.mode === "teach");
  }
  get job() {
    return this.store.jobs.of(TEACH, this.chosen?.id);
  }
  get outlining() {
    return this.store.jobs.of(OUTLINE, this.chosen?.id);
  }
  #at(line) {
    return `/shots/${this.store.document.shot.id}/taught/${line.id}`;
  }

  later(wait) {
    clearTimeout(this.timer);
    const line = this.chosen;
    if (!line) this.state = null;
    else this.timer = setTimeout(() => this.ask(line), wait);
  }

  async ask(line) {
    const { document, pending } = this.store;
    const name = `${line.id}/${document.revision}`;
    if (this.state?.name === name) return;
    if (this.edits.waiting.length || pending.dragging.size) return this.later(QUIET);
    try {
      const told = await get(this.#at(line));
      if (this.chosen?.id !== line.id) return;
      const before = this.state?.filled.length;
      this.state = { name, entry: line.id, revision: document.revision, ...told };
      if (before !== undefined && before !== told.filled.length) this.mattes.solvedMore();
      this.dispatchEvent(new Event("state"));
    } catch {
      /* without a connection it is asked with the next change */
    }
  }

  // A frame is finished as it is now, or open again.
  async finish(frame, finished) {
    const line = this.chosen;
    if (!line) return;
    await this.edits.run(); // it is finished as it is saved
    await post(`${this.#at(line)}/finish`, { frame, finished });
    await this.news.ask();
    if (this.state) this.state.name = "";
    this.later(0);
  }

  // Where the plate and the finished matte of a frame are shown beside each other.
  pair(frame) {
    const one = this.state?.finished.find((f) => f.frame === frame);
    return one && this.chosen ? `/api${this.#at(this.chosen)}/pair/${frame}?of=${this.state.revision}` : "";
  }

  // A finished frame as what had not seen it said it: while it is taught, of the frame that is tried; afterwards of the one that is looked at.
  unseen(frame) {
    const { partial } = this.job || {};
    const tried = isBusy(this.job) && partial?.frame ? partial.frame : null;
    const known = this.state?.finished.some((f) => f.frame === frame && f.unseen) && !this.state.new;
    if (!this.chosen || (tried === null && !known)) return "";
    return `/api${this.#at(this.chosen)}/pair/${tried ?? frame}?unseen=true&of=${this.job?.id || 0}-${partial?.off || 0}`;
  }

  teach() {
    return this.work.ask(TEACH, this.chosen?.id || null);
  }
  // Its solid part as a shape on top of the stack.
  makeOutline() {
    return this.work.ask(OUTLINE, this.chosen?.id || null);
  }
  cancel() {
    return this.work.cancel(isBusy(this.job) ? this.job : this.outlining);
  }
}
