// How well the outlines lie on the picture: asks for it to be measured, knows how every frame stands, and what is off on this one.

import { get, post } from "./api.js";

const BUSY = 500; // ms between two looks at work that is going on
const QUIET = 350; // ms without a change before it is asked again

export class Fits extends EventTarget {
  constructor(store, edits) {
    super();
    Object.assign(this, { store, edits });
    this.state = null; // what the server said of all frames
    this.here = null; // what is off on the frame that is looked at
    this.tell = () => {};
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
  }

  get on() {
    return this.store.step === "check" && this.store.matte;
  }

  get busy() {
    return ["waiting", "working"].includes(this.state?.run?.state);
  }

  path(rest = "") {
    return `/shots/${this.store.shot.id}/mattes/${this.store.matte}/fit${rest}`;
  }

  later(wait = QUIET) {
    clearTimeout(this.timer);
    if (this.on && !this.store.playing) this.timer = setTimeout(() => this.ask(), wait);
  }

  async ask() {
    const { store } = this;
    if (!this.on) return;
    if (this.edits.waiting.length || store.dragging.size) return this.later();
    const name = `${store.matte}/${store.revision}`;
    try {
      if (this.state?.name !== name || this.busy) {
        const told = await get(this.path());
        this.state = { name: `${store.matte}/${told.revision}`, ...told };
        this.dispatchEvent(new Event("state"));
      }
      if (this.busy) this.later(BUSY);
      await this.askHere();
    } catch (error) {
      if (error.status === 404) this.here = null;
    }
  }

  // Where outlines are off on this frame; asked for when the artist stays on it.
  async askHere() {
    const { store } = this;
    const name = `${store.matte}/${store.revision}/${store.frame}`;
    if (this.here?.name === name || !this.state?.measured) return;
    const { frame } = store;
    const told = await get(this.path(`/${frame}`));
    if (store.frame !== frame) return this.later();
    this.here = { name, ...told };
    this.dispatchEvent(new Event("state"));
  }

  async measure() {
    await post(this.path(), {});
    this.state = null;
    await this.ask();
  }

  async cancel() {
    await post(`/shots/${this.store.shot.id}/measurings/${this.state.run.id}/cancel`, {});
    this.later(0);
  }

  async looked(frame, looked) {
    await post(`/shots/${this.store.shot.id}/mattes/${this.store.matte}/looked`, { frame, looked });
    this.state = null;
    await this.ask();
  }

  pull(shape, points, radius) {
    return post(`/shots/${this.store.shot.id}/shapes/${shape}/pull`, { frame: this.store.frame, points, radius });
  }

  // [px or null, shape, looked at] of a frame, while it is measured.
  of(frame) {
    return this.state?.frames?.[frame] || null;
  }

  // Marks of the frame that is looked at: [x, y, to the edge in x, in y, how sure].
  get marks() {
    return this.on && this.here?.frame === this.store.frame && !this.store.dragging.size ? this.here.marks : [];
  }
}
