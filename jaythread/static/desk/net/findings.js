// What is thought wrong with the matte in hand: has its frames looked at, knows what was found and where.

import { get, post } from "./api.js";

const QUIET = 500; // ms without a change before it is asked again
const READ = "check.read";

export class Findings extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./work.js").Work} work */
  constructor(store, work) {
    super();
    this.store = store;
    this.work = work;
    this.state = null; // what the server said of the matte
    this.chosen = 0;
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
    store.jobs.addEventListener("jobs", (e) => {
      if (!(/** @type {CustomEvent} */ (e).detail.some((job) => job.kind === READ && job.subject === store.selection.matte))) return;
      if (this.state) this.state.name = "";
      this.dispatchEvent(new Event("state"));
      this.later(0);
    });
  }

  get on() {
    return this.store.view.step === "check" && this.store.selection.matte;
  }
  get job() {
    return this.store.jobs.of(READ, this.store.selection.matte);
  }
  get busy() {
    return this.store.jobs.isBusy(READ, this.store.selection.matte);
  }
  get open() {
    return this.state?.matte === this.store.selection.matte ? this.state.findings.filter((f) => f.state === "open") : [];
  }
  get name() {
    return `${this.store.selection.matte}/${this.store.document.revision}`;
  }

  later(wait = QUIET) {
    clearTimeout(this.timer);
    if (this.on && !this.store.view.playing) this.timer = setTimeout(() => this.ask(), wait);
  }

  async ask() {
    const { matte } = this.store.selection;
    if (!matte || this.state?.name === this.name) return;
    try {
      const told = await get(`/shots/${this.store.document.shot.id}/mattes/${matte}/check`);
      this.state = { ...told, matte, name: `${matte}/${told.revision}` };
      this.dispatchEvent(new Event("state"));
    } catch (error) {
      if (error.status === 404) this.state = null;
    }
  }

  // Only what has changed is looked at again.
  measure() {
    return this.work.ask(READ, this.store.selection.matte);
  }
  cancel() {
    return this.work.cancel(this.job);
  }

  async meant(id, reason) {
    await post(`/shots/${this.store.document.shot.id}/findings/${id}/answer`, { meant: true, reason });
    this.state = null;
    await this.ask();
  }

  // Boxes of what was found on the frame that is looked at, plate px.
  get here() {
    const { frame } = this.store.view;
    return this.on ? this.open.filter((f) => f.box && f.first <= frame && frame <= f.last).map((f) => ({ box: f.box, chosen: f.id === this.chosen })) : [];
  }
}
