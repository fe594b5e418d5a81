// A slice of what the desk knows: it has its own events and is the only code that writes it. The whole is told of every event too.

export class Slice extends EventTarget {
  /** @type {EventTarget | null} */
  #whole = null;

  /** @param {EventTarget} whole */
  joins(whole) {
    this.#whole = whole;
    return this;
  }

  /** @param {string} what @param {any} [detail] */
  say(what, detail) {
    this.dispatchEvent(new CustomEvent(what, { detail }));
    this.#whole?.dispatchEvent(new CustomEvent(what, { detail }));
  }
}
