// How well the outlines lie on the picture: has it measured, knows how every frame stands, and what is off on this one.

import { get, post } from "./api.js";

const QUIET = 350; // ms without a change before it is asked again
const MEASURE = "fit.measure";

export class Fits extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits @param {import("./work.js").Work} work */
  constructor(store, edits, work) {
    super();
    this.store = store;
    this.edits = edits;
    this.work = work;
    this.state = null; // what the server said of all frames
    this.here = null; // what is off on the frame that is looked at
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
    store.jobs.addEventListener("jobs", (e) => {
      if (!(/** @type {CustomEvent} */ (e).detail.some((job) => job.kind === MEASURE && job.subject === store.selection.matte))) return;
      if (this.state) this.state.name = ""; // it is being measured: what is known grows
      this.dispatchEvent(new Event("state"));
      this.later(0);
    });
  }

  get on() {
    return this.store.view.step === "check" && this.store.selection.matte;
  }
  // The frames that somebody has looked at, as far as is known.
  get lookedAt() {
    return Object.entries(this.state?.frames || {}).filter(([, told]) => told[2]).map(([frame]) => Number(frame));
  }
  get job() {
    return this.store.jobs.of(MEASURE, this.store.selection.matte);
  }
  get busy() {
    return this.store.jobs.isBusy(MEASURE, this.store.selection.matte);
  }

  path(rest = "") {
    return `/shots/${this.store.document.shot.id}/mattes/${this.store.selection.matte}/fit${rest}`;
  }

  later(wait = QUIET) {
    clearTimeout(this.timer);
    if (this.on && !this.store.view.playing) this.timer = setTimeout(() => this.ask(), wait);
  }

  async ask() {
    const { store } = this;
    if (!this.on) return;
    if (this.edits.waiting.length || store.pending.dragging.size) return this.later();
    const name = `${store.selection.matte}/${store.document.revision}`;
    try {
      if (this.state?.name !== name) {
        const told = await get(this.path());
        this.state = { name: `${store.selection.matte}/${told.revision}`, ...told };
        this.dispatchEvent(new Event("state"));
      }
      await this.askHere();
    } catch (error) {
      if (error.status === 404) this.here = null;
    }
  }

  // Where outlines are off on this frame; asked for when the artist stays on it.
  async askHere() {
    const { store } = this;
    const { frame } = store.view;
    const name = `${store.selection.matte}/${store.document.revision}/${frame}`;
    if (this.here?.name === name || !this.state?.measured) return;
    const told = await get(this.path(`/${frame}`));
    if (store.view.frame !== frame) return this.later();
    this.here = { name, ...told };
    this.dispatchEvent(new Event("state"));
  }

  measure() {
    return this.work.ask(MEASURE, this.store.selection.matte);
  }

  cancel() {
    return this.work.cancel(this.job);
  }

  async looked(frame, looked) {
    await post(`/shots/${this.store.document.shot.id}/mattes/${this.store.selection.matte}/looked`, { frame, looked });
    this.state = null;
    await this.ask();
  }

  pull(shape, points, radius) {
    return post(`/shots/${this.store.document.shot.id}/shapes/${shape}/pull`, { frame: this.store.view.frame, points, radius });
  }

  // [px or null, shape, looked at] of a frame, while it is measured.
  of(frame) {
    return this.state?.frames?.[frame] || null;
  }

  // Marks of the frame that is looked at: [x, y, to the edge in x, in y, confidence].
  get marks() {
    return this.on && this.here?.frame === this.store.view.frame && !this.store.pending.dragging.size ? this.here.marks : [];
  }
}
