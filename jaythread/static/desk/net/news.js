// The one question a page asks for all that may have changed: edits, jobs, notes, who is here. More often while work is going on.

import { get } from "./api.js";

const EVERY = 2500; // ms
const BUSY = 350; // ms, while a job is under way

export class News extends EventTarget {
  /** @type {string | null} */
  #moment = null; // that the last answer named
  #asking = null;

  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits */
  constructor(store, edits) {
    super();
    this.store = store;
    this.edits = edits;
    /** @type {import("../model/types.js").Note[]} */
    this.notes = [];
    /** @type {string[]} */
    this.here = []; // who else looks at the shot
    this.ask();
  }

  // What is begun here has the word: its own answers bring what others have done as well.
  get #quiet() {
    const { pending, view } = this.store;
    return !this.edits.waiting.length && !this.edits.sending && !pending.dragging.size && !view.playing;
  }

  // Ask now; whoever asks while an answer is on its way gets the next one.
  async ask() {
    if (this.#asking) await this.#asking;
    this.#asking ||= this.#once().finally(() => (this.#asking = null));
    return this.#asking;
  }

  async #once() {
    clearTimeout(this.timer);
    const { document, jobs } = this.store;
    if (!window.document.hidden) {
      try {
        const { revision } = document;
        const since = this.#moment ? `&moment=${encodeURIComponent(this.#moment)}` : "";
        const told = await get(`/shots/${document.shot.id}/news?revision=${revision}${since}`);
        this.#moment = told.moment;
        if (told.edits.shapes && this.#quiet && document.revision === revision) {
          document.take(told.edits);
          for (const { who, summary } of told.edits.others.slice(-1)) this.dispatchEvent(new CustomEvent("others", { detail: `${who} ${summary}` }));
        }
        this.notes = told.notes;
        this.here = told.here;
        jobs.take(told.jobs);
        this.dispatchEvent(new Event("news"));
      } catch {
        /* without a connection nothing new is known; the next edit says so */
      }
    }
    this.timer = setTimeout(() => this.ask(), jobs.anyBusy ? BUSY : EVERY);
  }
}
