// What others do to the shot meanwhile: asked for every few seconds while the page is looked at and nothing of one's own is on its way.

import { get } from "./api.js";

const EVERY = 2500; // ms

export class Watch extends EventTarget {
  constructor(store, edits) {
    super();
    this.store = store;
    this.edits = edits;
    setTimeout(() => this.look(), EVERY);
  }

  get quiet() {
    return !this.edits.waiting.length && !this.edits.sending && !this.store.dragging.size && !this.store.playing && !document.hidden;
  }

  async look() {
    try {
      if (this.quiet) {
        const { shot, revision } = this.store;
        const answer = await get(`/shots/${shot.id}/since/${revision}`);
        // what was begun here meanwhile has the word: its own answer brings the rest
        if (answer.shapes && this.quiet && this.store.revision === revision) {
          this.store.take(answer);
          for (const { who, says } of answer.others.slice(-1)) this.dispatchEvent(new CustomEvent("others", { detail: `${who} ${says}` }));
        }
      }
    } catch {
      /* without a connection nothing new is known; the next edit says so */
    }
    setTimeout(() => this.look(), EVERY);
  }
}
