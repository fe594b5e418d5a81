// Notes on frames and places, as the news tells of them.

import { post } from "./api.js";

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
    return this.all.filter((n) => !n.done);
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

  async add(said) {
    await post(`/shots/${this.store.document.shot.id}/notes`, said);
    await this.news.ask();
  }

  async answer(note, text) {
    await post(`/shots/${this.store.document.shot.id}/notes/${note.id}/answers`, { text });
    await this.news.ask();
  }

  async mark(note, done) {
    await post(`/shots/${this.store.document.shot.id}/notes/${note.id}/done`, { done });
    await this.news.ask();
  }
}
