// What is chosen: the matte, shapes with some of their points, the track; and where the artist has put pivots.

import { Slice } from "./slice.js";

/** @typedef {import("./types.js").Shape} Shape */

const NONE = new Set();

export class Selection extends Slice {
  /** @type {Map<string, Set<number>>} */
  #map = new Map(); // the last chosen one last: id -> its chosen points
  /** @type {string | null} */
  #matte = null;
  /** @type {string | null} */
  #track = null;
  /** @type {number[] | null} */
  #choicePivot = null; // of the chosen points, plate px

  /** @param {import("./document.js").Document} document */
  constructor(document) {
    super();
    this.document = document;
    /** @type {Map<string, number[]>} */
    this.pivots = new Map(); // of shapes, where the artist has put them: plate px
    document.addEventListener("taken", (e) => this.#settle(/** @type {CustomEvent} */ (e).detail.gone));
    this.#settle([]);
    const top = this.stack().at(-1);
    if (top) this.choose(top.shape);
  }

  #settle(gone) {
    for (const id of gone) this.#map.delete(id);
    const { mattes, tracks } = this.document;
    if (!mattes.some((m) => m.id === this.#matte)) this.#matte = mattes.length ? mattes[0].id : null;
    if (!this.#track || !tracks.has(this.#track)) this.#track = tracks.keys().next().value || null;
  }

  get map() {
    return this.#map;
  }
  get matte() {
    return this.#matte;
  }
  get track() {
    return this.#track;
  }
  get choicePivot() {
    return this.#choicePivot;
  }

  /** @param {string} id */
  has(id) {
    return this.#map.has(id);
  }
  get ids() {
    return [...this.#map.keys()];
  }
  get size() {
    return this.#map.size;
  }

  get matteNow() {
    return this.document.matte(this.#matte);
  }
  get trackNow() {
    return this.document.tracks.get(this.#track) || null;
  }

  // Another matte comes up: what is chosen is of it, or nothing.
  /** @param {string} matte */
  turnTo(matte) {
    this.#matte = matte;
    const lines = new Set(this.stack().map((line) => line.shape));
    for (const id of this.ids) if (!lines.has(id) && this.document.shapes.get(id)?.kind !== "group") this.#map.delete(id);
    const top = this.stack().at(-1);
    if (!this.#map.size && top) this.choose(top.shape);
    this.say("changed");
  }

  // The lines of the present matte, bottom first: of groups too, right above those of their shapes.
  lines() {
    return this.matteNow ? this.matteNow.stack.filter((e) => this.document.shapes.has(e.shape)) : [];
  }

  // Those that have an outline.
  stack() {
    return this.lines().filter((e) => this.document.shapes.get(e.shape)?.kind !== "group");
  }

  // The shape that the panel speaks of: the last chosen one.
  get chosen() {
    return this.ids.at(-1) || null;
  }
  /** @type {Shape | null} */
  get shape() {
    return (this.chosen && this.document.shapes.get(this.chosen)) || null;
  }
  /** @type {Shape[]} */
  get chosenShapes() {
    return this.ids.map((id) => this.document.shapes.get(id)).filter((shape) => shape !== undefined);
  }

  // Whether a shape is the band of a fringe, or of a taught line, in the present matte.
  /** @param {Shape} shape */
  isFringe(shape) {
    return this.stack().some((line) => line.shape === shape.id && ["solve", "teach"].includes(line.mode));
  }

  // Those of the chosen shapes, and groups, that may be changed.
  get movable() {
    return this.document.mayTrace ? this.chosenShapes.filter((s) => !s.locked) : [];
  }
  // Those of them that have an outline.
  get editable() {
    return this.movable.filter((s) => s.kind !== "group");
  }

  // What is shown as chosen: the shapes of a chosen group too.
  get inHand() {
    const { document } = this;
    return new Set(this.ids.flatMap((id) => (document.shapes.get(id)?.kind === "group" ? document.carriedBy(id).map((s) => s.id) : [id])));
  }

  /** @param {string} id @returns {Set<number>} */
  pointsOf(id) {
    return this.#map.get(id) || NONE;
  }

  get pointCount() {
    let count = 0;
    for (const points of this.#map.values()) count += points.size;
    return count;
  }

  // Choose a shape (with some of its points); `more` adds to what is chosen.
  /** @param {string | null} id @param {Iterable<number>} [points] @param {boolean} [more] */
  choose(id, points = [], more = false) {
    this.#choicePivot = null;
    const was = id ? this.pointsOf(id) : NONE;
    if (!more) this.#map = new Map();
    if (id) {
      this.#map.delete(id);
      this.#map.set(id, new Set(more ? [...was, ...points] : points));
    }
    this.say("changed");
  }

  /** @param {Map<string, Set<number>>} map */
  choosePoints(map) {
    this.#choicePivot = null;
    this.#map = map;
    this.say("changed");
  }

  // The chosen shapes stay, none of their points.
  letPointsGo() {
    this.choosePoints(new Map(this.ids.map((id) => [id, new Set()])));
  }

  /** @param {string} id @param {number} index */
  letPointGo(id, index) {
    this.#map.get(id)?.delete(index);
    this.say("changed");
  }

  /** @param {string} id */
  chooseTrack(id) {
    if (this.#track === id) return;
    this.#track = id;
    this.say("changed");
  }

  /** @param {number[]} place */
  putChoicePivot(place) {
    this.#choicePivot = place;
    this.say("dragged");
  }

  // Frames that hold a key of the chosen shapes, in order.
  keyFrames() {
    const frames = this.chosenShapes.flatMap((s) => [...s.form, ...s.placement, ...s.settings].map((k) => k.frame));
    return [...new Set(frames)].sort((a, b) => a - b);
  }
}
