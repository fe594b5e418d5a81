// Long work of the shot as the server told of it last: of each kind and subject the newest.

import { Slice } from "./slice.js";

/** @typedef {import("./types.js").Job} Job */

export class Jobs extends Slice {
  /** @type {Map<string, Job>} */
  #newest = new Map();

  // Take in what is new. Says "jobs" with those that have changed.
  /** @param {Job[]} jobs */
  take(jobs) {
    const changed = jobs.filter((job) => {
      const had = this.#newest.get(`${job.kind}/${job.subject}`);
      if (had && (had.id > job.id || (had.id === job.id && JSON.stringify(had) === JSON.stringify(job)))) return false;
      this.#newest.set(`${job.kind}/${job.subject}`, job);
      return true;
    });
    if (changed.length) this.say("jobs", changed);
  }

  /** @param {string} kind @param {string | null | undefined} subject */
  of(kind, subject) {
    return this.#newest.get(`${kind}/${subject}`) || null;
  }

  /** @param {string} kind @param {string | null | undefined} subject */
  isBusy(kind, subject) {
    return isBusy(this.of(kind, subject));
  }

  get anyBusy() {
    return [...this.#newest.values()].some(isBusy);
  }
}

// How long it will still take, to stand behind how far it is.
/** @param {Job | null} job */
export function timeLeft(job) {
  return job?.left ? `, ${job.left}` : "";
}

/** @param {Job | null} job */
export function isBusy(job) {
  return job !== null && (job.state === "waiting" || job.state === "working");
}
