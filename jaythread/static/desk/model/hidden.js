// Which shapes each person has hidden, or shows alone: kept in the browser, per shot. It clears the view; the matte stays what it is.

export class HiddenShapes {
  #hidden;
  /** @type {string | null} */
  #alone = null;

  /** @param {number} shot */
  constructor(shot) {
    this.key = `jaythread-marks-${shot}`;
    const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
    this.#hidden = new Set(kept.hidden || kept.veiled || []);
  }

  get alone() {
    return this.#alone;
  }

  /** @param {string} id */
  has(id) {
    return this.#hidden.has(id);
  }

  // Hide shapes, or show them again when all of them are hidden.
  /** @param {string[]} ids */
  toggle(ids) {
    const all = ids.every((id) => this.#hidden.has(id));
    for (const id of ids) if (all) this.#hidden.delete(id);
      else this.#hidden.add(id);
    localStorage.setItem(this.key, JSON.stringify({ hidden: [...this.#hidden] }));
  }

  // Show one alone, or all again.
  /** @param {string} id */
  toggleAlone(id) {
    this.#alone = this.#alone === id ? null : id;
  }

  /** @param {string} id */
  isShown(id) {
    return this.#alone ? this.#alone === id : !this.#hidden.has(id);
  }
}
