// Composed frames of a tryout: the one that is looked at, those ahead for playing, and what is dragged meanwhile.

import { call, get, post } from "../desk/net/api.js";

const KEPT = 240; // pictures of the screen's width
const KIND = "tryout.ahead";
const [SMALL, WIDEST] = [480, 960]; // px: what is made first, and at most
const POLL = 250; // ms
const PATIENCE = 1500; // ms for which somebody is waited for who makes them

const pause = (ms) => new Promise((done) => setTimeout(done, ms));

export class Film extends EventTarget {
  /** @type {Map<number, ImageBitmap>} */
  #kept = new Map();
  #version = 0;
  #asking = false;
  /** @type {any} */
  #next = null;
  #rolling = false;
  #own = false; // the work was asked for here: who joins that of somebody else does not stop it
  /** @type {Map<number, ImageBitmap>} */
  #small = new Map();
  /** @type {any} */
  job = null;
  /** @type {ImageBitmap | null} */
  shown = null;
  trouble = "";

  /** @param {string} shot @param {string} id @param {[number, number]} range @param {() => number | null} wide */
  constructor(shot, id, range, wide) {
    super();
    this.shot = shot;
    this.id = id;
    this.path = `/shots/${shot}/tryouts/${id}`;
    this.range = range;
    this.wide = wide;
  }

  // All pictures are of before now.
  forget() {
    this.#version++;
    this.#kept.clear();
    this.#small.clear();
  }

  has(frame) {
    return this.#kept.has(frame) || (this.#rolling && this.#small.has(frame));
  }

  // How much there is to be played, 0 to 1.
  get made() {
    return Math.min(1, new Set([...this.#kept.keys(), ...this.#small.keys()]).size / (this.range[1] - this.range[0] + 1));
  }

  // The picture of a frame, as soon as it is here. more: what else is asked, {draft, bright, without}.
  show(frame, more = null) {
    const found = more ? null : this.#kept.get(frame) || (this.#rolling && this.#small.get(frame));
    if (found) {
      this.shown = found;
      return this.dispatchEvent(new Event("shown"));
    }
    const wanted = { frame, more };
    if (this.#asking) this.#next = wanted;
    else this.#send(wanted);
    return false;
  }

  // The first picture, which the page asks for before it has been read: another one follows where the screen wants a larger one.
  async begin(frame, address) {
    this.#asking = true;
    const version = this.#version;
    let picture = null;
    try {
      const reply = await fetch(address);
      if (reply.ok) picture = await createImageBitmap(await reply.blob());
    } catch {
      /* then it is asked for again, and told why there is none */
    }
    this.#asking = false;
    const wide = this.wide();
    const enough = picture && version === this.#version && wide && wide <= picture.width;
    if (enough) this.#kept.set(frame, picture);
    this.shown = picture;
    const next = this.#next || (enough ? null : { frame, more: null });
    this.#next = null;
    this.dispatchEvent(new Event("shown"));
    if (next) this.show(next.frame, next.more);
  }

  async #picture(frame, more, width) {
    const reply = await call("POST", `${this.path}/picture`, { frame, width, ...(more || {}) });
    return createImageBitmap(await reply.blob());
  }

  async #send({ frame, more }) {
    this.#asking = true;
    const version = this.#version;
    try {
      const width = this.wide();
      const picture = await this.#picture(frame, more, width);
      this.trouble = "";
      if (!more && version === this.#version && width) this.#kept.set(frame, picture);
      this.shown = picture;
    } catch (error) {
      this.trouble = error.message;
      this.shown = null;
    }
    this.#asking = false;
    const next = this.#next;
    this.#next = null;
    if (next) this.show(next.frame, next.more);
    this.dispatchEvent(new Event("shown"));
  }

  // Have the frames from here on made ahead, round and round the range, a small size first, and fetch them, while `going` says so.
  async ahead(from, going) {
    if (this.#rolling) return;
    this.#rolling = true;
    const version = this.#version;
    const on = () => going() && version === this.#version;
    try {
      await this.#ask(from);
      await Promise.all([this.#told(on), ...this.#fetching(on)]);
    } catch (error) {
      this.trouble = error.message;
      this.dispatchEvent(new Event("ahead"));
    }
    await this.#leave();
    this.#rolling = false;
    if (version !== this.#version && going()) this.ahead(from, going);
  }

  // The work on the server; where it is under way already, by whomever, that one.
  async #ask(from) {
    const settings = { begin: from, width: Math.min(WIDEST, this.wide() || WIDEST) };
    try {
      this.job = await post(`/shots/${this.shot}/jobs`, { kind: KIND, subject: this.id, settings });
      this.#own = true;
    } catch (error) {
      this.#own = false;
      this.job = error.status === 422 ? await this.#newest() : null;
      if (!this.busy) throw error;
    }
  }

  async #newest() {
    const { jobs } = await get(`/shots/${this.shot}/jobs`);
    return jobs.find((job) => job.kind === KIND && job.subject === this.id) || null;
  }

  get busy() {
    return ["waiting", "working"].includes(this.job?.state);
  }

  async #told(on) {
    while (on() && this.busy) {
      await pause(POLL);
      this.job = await this.#newest();
      this.dispatchEvent(new Event("ahead"));
    }
  }

  // Two that fetch what is made, in the order in which it is made. Work that nobody takes up is not waited for: then it is made when asked.
  #fetching(on) {
    const [first, last] = this.range;
    const { begin, width } = this.job?.settings || { begin: first, width: WIDEST };
    const long = last - first + 1;
    const asked = performance.now();
    const todo = [SMALL, width].filter((w) => w <= width).flatMap((w) => Array.from({ length: long }, (_, k) => [first + ((begin - first + k) % long), w]));
    let at = 0;
    const waits = (index) => (this.job?.state === "working" ? this.job.done <= index : this.busy && performance.now() - asked < PATIENCE);
    const some = async () => {
      while (on() && at < todo.length) {
        const index = at++;
        const [frame, w] = todo[index];
        const into = w === SMALL && width > SMALL ? this.#small : this.#kept;
        while (on() && waits(index)) await pause(POLL / 2);
        if (!on() || this.#kept.has(frame) || into.has(frame) || into.size >= KEPT) continue;
        const reply = await call("GET", `${this.path}/frames/${frame}?width=${w}`);
        const picture = await createImageBitmap(await reply.blob());
        if (on()) into.set(frame, picture);
        this.dispatchEvent(new Event("ahead"));
      }
    };
    return [some(), some()];
  }

  // Nobody plays any more, or what was to be played is another thing now: what was made stays.
  async #leave() {
    try {
      if (!this.busy || !this.#own) return;
      await post(`/shots/${this.shot}/jobs/${this.job.id}/cancel`, {});
      for (let tries = 0; this.busy && tries < 20; tries++) {
        await pause(POLL);
        this.job = await this.#newest();
      }
    } catch {
      /* it may have ended by itself, or another one plays it and stops it */
    }
  }
}
