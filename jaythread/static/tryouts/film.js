// Composed frames of a tryout: the one that is looked at, those ahead for playing, and what is dragged meanwhile.

import { call } from "../desk/net/api.js";

const KEPT = 240; // pictures of the screen's width
const AT_ONCE = 2; // that are made ahead

export class Film extends EventTarget {
  /** @type {Map<number, ImageBitmap>} */
  #kept = new Map();
  #version = 0;
  #asking = false;
  /** @type {any} */
  #next = null;
  #ahead = 0;
  /** @type {ImageBitmap | null} */
  shown = null;
  trouble = "";

  /** @param {string} path @param {[number, number]} range @param {() => number | null} wide */
  constructor(path, range, wide) {
    super();
    Object.assign(this, { path, range, wide });
    this.path = path;
    this.range = range;
    this.wide = wide;
  }

  // All pictures are of before now.
  forget() {
    this.#version++;
    this.#kept.clear();
  }

  has(frame) {
    return this.#kept.has(frame);
  }

  get made() {
    return this.#kept.size;
  }

  // The picture of a frame, as soon as it is here. more: what else is asked, {draft, bright, without}.
  show(frame, more = null) {
    const found = more ? null : this.#kept.get(frame);
    if (found) {
      this.shown = found;
      return this.dispatchEvent(new Event("shown"));
    }
    const wanted = { frame, more };
    if (this.#asking) this.#next = wanted;
    else this.#send(wanted);
    return false;
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

  // Make the frames from here on ahead, round and round the range, while `going` says so.
  async ahead(from, going) {
    const [first, last] = this.range;
    const order = Array.from({ length: last - first + 1 }, (_, k) => first + ((from - first + k) % (last - first + 1)));
    const version = this.#version;
    const some = async () => {
      for (let frame = order.shift(); frame !== undefined && going() && version === this.#version; frame = order.shift()) {
        if (this.#kept.has(frame) || this.#kept.size >= KEPT) continue;
        try {
          const picture = await this.#picture(frame, null, Math.min(960, this.wide() || 960));
          if (version === this.#version) this.#kept.set(frame, picture);
        } catch (error) {
          this.trouble = error.message;
          return;
        }
        this.dispatchEvent(new Event("ahead"));
      }
    };
    if (this.#ahead) return;
    this.#ahead++;
    await Promise.all(Array.from({ length: AT_ONCE }, some));
    this.#ahead--;
    if (version !== this.#version && going()) this.ahead(from, going);
  }
}
