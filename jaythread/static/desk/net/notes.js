// Notes on frames and places: asked for now and then, and when the desk is looked at again.

import { get, post } from "./api.js";

const AGAIN = 15000; // ms

export class Notes extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.all = [];
    store.addEventListener("frame", () => this.dispatchEvent(new Event("state")));
    setInterval(() => !document.hidden && this.ask(), AGAIN);
    this.ask();
  }

  get open() {
    return this.all.filter((n) => !n.done);
  }

  // Places of the open notes on the frame that is looked at.
  get here() {
    return this.open.filter((n) => n.frame === this.store.frame && n.x !== null);
  }

  async ask() {
    try {
      this.all = (await get(`/shots/${this.store.shot.id}/notes`)).notes;
      this.dispatchEvent(new Event("state"));
    } catch {
      /* without a connection they come later */
    }
  }

  async mark(note, done) {
    await post(`/shots/${this.store.shot.id}/notes/${note.id}/done`, { done });
    await this.ask();
  }
}
