// A small picture of the matte up to each line of its stack, asked for when nothing else is going on.

import { get } from "./api.js";

const QUIET = 220; // ms without a change before they are asked for

export class Thumbnails extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits */
  constructor(store, edits) {
    super();
    this.store = store;
    this.edits = edits;
    /** @type {string[]} */
    this.pictures = []; // data addresses, bottom first
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
    this.later();
  }

  get name() {
    const { document, selection, view } = this.store;
    return `${selection.matte}/${document.revision}/${view.frame}`;
  }

  later() {
    clearTimeout(this.timer);
    if (!this.store.selection.matte || this.store.view.playing || this.shown === this.name) return;
    this.timer = setTimeout(() => this.ask(), QUIET);
  }

  async ask() {
    const { name } = this;
    const { document, pending, selection, view } = this.store;
    if (this.edits.waiting.length || pending.dragging.size) return this.later();
    try {
      const answer = await get(`/shots/${document.shot.id}/mattes/${selection.matte}/so-far/${view.frame}`);
      if (name !== this.name) return this.later();
      this.shown = name;
      this.pictures = answer.pictures.map((text) => `data:image/png;base64,${text}`);
      this.dispatchEvent(new Event("loaded"));
    } catch {
      /* without a connection they come with the next change */
    }
  }
}
