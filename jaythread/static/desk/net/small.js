// A small picture of the matte up to each line of its stack, asked for when nothing else is going on.

import { get } from "./api.js";

const QUIET = 220; // ms without a change before they are asked for

export class Small extends EventTarget {
  constructor(store, edits) {
    super();
    this.store = store;
    this.edits = edits;
    this.pictures = []; // data addresses, bottom first
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
    this.later();
  }

  get name() {
    const { store } = this;
    return `${store.matte}/${store.revision}/${store.frame}`;
  }

  later() {
    clearTimeout(this.timer);
    if (!this.store.matte || this.store.playing || this.shown === this.name) return;
    this.timer = setTimeout(() => this.ask(), QUIET);
  }

  async ask() {
    const { store, name } = this;
    if (this.edits.waiting.length || store.dragging.size) return this.later();
    try {
      const answer = await get(`/shots/${store.shot.id}/mattes/${store.matte}/so-far/${store.frame}`);
      if (name !== this.name) return this.later();
      this.shown = name;
      this.pictures = answer.pictures.map((text) => `data:image/png;base64,${text}`);
      this.dispatchEvent(new Event("loaded"));
    } catch {
      /* without a connection they come with the next change */
    }
  }
}
