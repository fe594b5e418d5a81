// Taught lines: frames that are finished, what they taught, and how the chosen line stands.

import { isBusy } from "../model/jobs.js";
import { post } from "./api.js";
import { FoundLine } from "./found_line.js";

const TEACH = "taught.teach";
const OUTLINE = "taught.outline";

export class Taught extends FoundLine {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits
   *  @param {import("./mattes.js").Mattes} mattes @param {import("./work.js").Work} work @param {import("./news.js").News} news */
  constructor(store, edits, mattes, work, news) {
    super(store, edits, mattes, work, "teach", [TEACH, OUTLINE]);
    this.news = news;
  }

  get outlining() {
    return this.store.jobs.of(OUTLINE, this.chosen?.id);
  }
  at(line) {
    return `/shots/${this.store.document.shot.id}/taught/${line.id}`;
  }

  // A frame is finished as it is now, or open again.
  async finish(frame, finished) {
    const line = this.chosen;
    if (!line) return;
    await this.edits.run(); // it is finished as it is saved
    await post(`${this.at(line)}/finish`, { frame, finished });
    await this.news.ask();
    this.later(0, true);
  }

  // Where the plate and the finished matte of a frame are shown beside each other.
  pair(frame) {
    const one = this.state?.finished.find((f) => f.frame === frame);
    return one && this.chosen ? `/api${this.at(this.chosen)}/pair/${frame}?of=${this.state.revision}` : "";
  }

  // A finished frame as what had not seen it said it: while it is taught, of the frame that is tried; afterwards of the one that is looked at.
  unseen(frame) {
    const { partial } = this.job || {};
    const tried = isBusy(this.job) && partial?.frame ? partial.frame : null;
    const known = this.state?.finished.some((f) => f.frame === frame && f.unseen) && !this.state.new;
    if (!this.chosen || (tried === null && !known)) return "";
    return `/api${this.at(this.chosen)}/pair/${tried ?? frame}?unseen=true&of=${this.job?.id || 0}-${partial?.off || 0}`;
  }

  // Its solid part as a shape on top of the stack.
  makeOutline() {
    return this.work.ask(OUTLINE, this.chosen?.id || null);
  }
  cancel() {
    return this.work.cancel(isBusy(this.job) ? this.job : this.outlining);
  }
}
