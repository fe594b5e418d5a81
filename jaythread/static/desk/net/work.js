// Long work on the server: asks for it and has it stopped. How it stands comes with the news.

import { post } from "./api.js";

export class Work {
  /** @param {import("../model/store.js").Store} store @param {import("./news.js").News} news */
  constructor(store, news) {
    this.store = store;
    this.news = news;
  }

  // A short one is done when this returns.
  /** @param {string} kind @param {string | null} subject @param {object} [settings] */
  async ask(kind, subject, settings = {}) {
    const job = await post(`/shots/${this.store.document.shot.id}/jobs`, { kind, subject, settings });
    this.store.jobs.take([job]);
    await this.news.ask();
    return this.store.jobs.of(kind, subject);
  }

  /** @param {import("../model/types.js").Job | null} job */
  async cancel(job) {
    if (job) this.store.jobs.take([await post(`/shots/${this.store.document.shot.id}/jobs/${job.id}/cancel`, {})]);
    await this.news.ask();
  }
}
