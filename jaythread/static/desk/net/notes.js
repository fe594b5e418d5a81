// Notes on frames and places, as the news tells of them.

import { call, post } from "./api.js";

export class Notes extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./news.js").News} news */
  constructor(store, news) {
    super();
    this.store = store;
    this.news = news;
    for (const [what, from] of /** @type {[string, EventTarget][]} */ ([["frame", store], ["news", news]])) from.addEventListener(what, () => this.dispatchEvent(new Event("state")));
  }

  get all() {
    return this.news.notes;
  }
  get open() {
    return this.all.filter((n) => n.state === "open");
  }

  // Places of the open notes on the frame that is looked at.
  get here() {
    return this.onFrame.filter((n) => n.x !== null && !n.strokes.length);
  }
  get onFrame() {
    const { frame } = this.store.view;
    return this.open.filter((n) => n.frame <= frame && frame <= (n.last ?? n.frame));
  }
  get strokes() {
    return this.onFrame.flatMap((n) => n.strokes);
  }

  async add(said, picture) {
    const made = await post(`/shots/${this.store.document.shot.id}/notes`, said);
    if (picture) {
      const form = new FormData();
      form.append("file", picture, "pasted.png");
      await call("POST", `/shots/${this.store.document.shot.id}/notes/${made.id}/pasted`, form);
    }
    await this.news.ask();
  }

  async answer(note, text) {
    await post(`/shots/${this.store.document.shot.id}/notes/${note.id}/answers`, { text });
    await this.news.ask();
  }

  // state: open, done, or not done, with why.
  async settle(note, state, reason = "") {
    await post(`/shots/${this.store.document.shot.id}/notes/${note.id}/state`, { state, reason });
    await this.news.ask();
  }
}
