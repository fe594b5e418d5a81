// What is under the hand or on its way to the server, laid over the document: outlines, soft edges, a track's points as they are now.

import { Slice } from "./slice.js";

/** @typedef {import("./types.js").Shape} Shape */
/** @typedef {import("./types.js").Track} Track */

export const BELL_ENDS = 4; // sigmas: how far lens softness spreads an edge

export class Pending extends Slice {
  /** @type {Map<string, Map<number, Float32Array>>} */
  #outlines = new Map(); // id -> frame -> points
  /** @type {Map<string, {inner?: number, outer?: number, shift?: number, opacity?: number, lens?: number}>} */
  #soft = new Map();
  /** @type {{track: string, frame: number, points: number[][]} | null} */
  #track = null; // the one that is dragged
  /** @type {Set<string>} */
  #dragging = new Set();

  /** @param {import("./document.js").Document} document
   *  @param {import("./selection.js").Selection} selection
   *  @param {import("./view_state.js").ViewState} view */
  constructor(document, selection, view) {
    super();
    this.document = document;
    this.selection = selection;
    this.view = view;
    /** @type {(id: string) => boolean} */
    this.waitsFor = () => false; // told by the network: whether edits of a shape are still on their way
    document.addEventListener("taken", (e) => {
      const { shapes, gone } = /** @type {CustomEvent} */ (e).detail;
      for (const id of shapes) if (!this.#dragging.has(id) && !this.waitsFor(id)) this.settle(id);
      for (const id of gone) this.settle(id);
    });
  }

  get dragging() {
    return this.#dragging;
  }
  get track() {
    return this.#track;
  }
  // Whether anything is laid over the document.
  get any() {
    return this.#outlines.size + this.#soft.size > 0;
  }
  // By shape, what is dragged in its soft edge.
  softOf(id) {
    return this.#soft.get(id) || {};
  }

  /** @param {string} id */
  settle(id) {
    this.#outlines.delete(id);
    this.#soft.delete(id);
  }

  /** @param {Shape} shape @param {Float32Array} points */
  setOutline(shape, points) {
    if (!this.#outlines.has(shape.id)) this.#outlines.set(shape.id, new Map());
    this.#outlines.get(shape.id)?.set(this.view.frame, points);
    this.say("dragged", shape.id);
  }

  setSoft(id, values) {
    this.#soft.set(id, values);
  }

  /** @param {string} id */
  hold(id) {
    this.#dragging.add(id);
  }
  /** @param {string} id */
  letGo(id) {
    this.#dragging.delete(id);
  }

  setTrack(track) {
    this.#track = track;
    this.say("dragged");
  }

  // The outline of a shape on a frame, with what is being dragged on it.
  /** @param {Shape} shape @param {number} [frame] @returns {Float32Array} */
  outline(shape, frame = this.view.frame) {
    const here = this.#outlines.get(shape.id)?.get(frame);
    if (here) return here;
    if (shape.constant) return shape.constant;
    if (!shape.outlines) return /** @type {Float32Array} */ (shape.opening);
    const n = shape.curves.length * 6;
    const { first, last } = this.document.shot;
    const at = Math.min(last, Math.max(first, frame)) - first;
    return shape.outlines.subarray(at * n, (at + 1) * n);
  }

  // Other frames are out of date until the server answers.
  /** @param {Shape} shape */
  isStale(shape) {
    const outlines = this.#outlines.get(shape.id);
    const { frame } = this.view;
    return Boolean(outlines && !outlines.has(frame)) || (!shape.outlines && !shape.constant && frame !== this.document.shot.first) || Boolean(shape.constant && shape.made !== frame);
  }

  // The soft edge of a shape: of its chosen points where some are and each has a reach of its own, else the largest there is.
  /** @param {Shape} shape @param {number} [frame] */
  soft(shape, frame = this.view.frame) {
    const [inner, outer, shift, opacity, lens] = this.document.at(shape.soft, frame);
    const reaches = this.reaches(shape, frame, false);
    const some = [...this.selection.pointsOf(shape.id)].filter((i) => reaches?.[i]);
    const those = reaches && (some.length ? some.map((i) => reaches[i]) : reaches.filter(Boolean));
    const most = (c) => Number(Math.max(...those.map((pair) => pair[c])).toFixed(2));
    return { inner: those ? most(0) : inner, outer: those ? most(1) : outer, shift, opacity, lens, ...this.softOf(shape.id) };
  }

  // [inner, outer] of each point (null for those that take theirs from their neighbours), or null where one reach holds everywhere;
  // with what is being dragged in it.
  /** @param {Shape} shape @param {number} [frame] @param {boolean} [dragged] */
  reaches(shape, frame = this.view.frame, dragged = true) {
    const values = dragged && this.softOf(shape.id);
    const chosen = this.selection.pointsOf(shape.id);
    const [inner, outer] = this.document.at(shape.soft, frame);
    const own = shape.reaches ? this.document.at(shape.reaches, frame) : null;
    if (!values || !("inner" in values || "outer" in values)) return own;
    if (!own && !chosen.size) return null;
    const now = own || shape.curves.map(() => [inner, outer]);
    const largest = [0, 1].map((c) => Math.max(...now.filter(Boolean).map((pair) => pair[c])));
    const sized = (pair, c, to) => (to === undefined ? pair[c] : largest[c] ? (pair[c] * to) / largest[c] : to);
    return now.map((pair, i) => {
      if (chosen.size) return chosen.has(i) ? [values.inner ?? (pair || largest)[0], values.outer ?? (pair || largest)[1]] : pair;
      return pair && [sized(pair, 0, values.inner), sized(pair, 1, values.outer)];
    });
  }

  // How far the soft edge goes at the most, for what a change may touch.
  /** @param {Shape} shape */
  mostReach(shape) {
    const soft = this.soft(shape);
    const all = (this.reaches(shape) || []).filter(Boolean).flat();
    return Math.max(soft.inner, soft.outer, ...all) + Math.abs(soft.shift) + BELL_ENDS * soft.lens;
  }

  // Move, turn and size at a frame.
  /** @param {Shape} shape @param {number} [frame] */
  placement(shape, frame = this.view.frame) {
    const [x, y, turn, size, , , skew = 0, taller = 1] = this.document.at(shape.placed, frame);
    return { x, y, turn, size, skew, taller };
  }

  // Where the pivot lies in the picture on this frame.
  /** @param {Shape} shape @returns {number[]} */
  pivot(shape) {
    return this.selection.pivots.get(shape.id) || this.document.at(shape.placed, this.view.frame).slice(4, 6);
  }

  // The middle of the chosen points.
  get middle() {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const shape of this.selection.editable) {
      const points = this.outline(shape);
      for (const i of this.selection.pointsOf(shape.id)) {
        box[0] = Math.min(box[0], points[i * 6]);
        box[1] = Math.min(box[1], points[i * 6 + 1]);
        box[2] = Math.max(box[2], points[i * 6]);
        box[3] = Math.max(box[3], points[i * 6 + 1]);
      }
    }
    return [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
  }

  // Where a point is on every frame around this one.
  /** @param {Shape} shape @param {number} i @param {number} [around] */
  wayOf(shape, i, around = 60) {
    const keys = new Set([...shape.form, ...shape.placement].map((k) => k.frame));
    const { first, last } = this.document.shot;
    const { frame } = this.view;
    const out = [];
    for (let f = Math.max(first, frame - around); f <= Math.min(last, frame + around); f++) {
      const points = this.outline(shape, f);
      out.push({ x: points[i * 6], y: points[i * 6 + 1], key: keys.has(f) });
    }
    return out;
  }

  // The points of a track on a frame, [x, y] each, with what is being dragged on it.
  /** @param {Track} track @param {number} [frame] @returns {number[][]} */
  trackPoints(track, frame = this.view.frame) {
    const dragged = this.#track;
    if (dragged?.track === track.id && dragged.frame === frame) return dragged.points;
    const { first, last } = this.document.shot;
    const at = (Math.min(last, Math.max(first, frame)) - first) * track.parts * 2;
    return [...Array(track.parts).keys()].map((i) => [track.path[at + 2 * i], track.path[at + 2 * i + 1]]);
  }

  // Where the middle of a track goes: its frames, and those that are just being found ([frame, points, confidence]).
  /** @param {Track} track @param {any[]} [live] */
  trackWay(track, live = []) {
    const middle = (points) => [0, 1].map((c) => points.reduce((sum, p) => sum + p[c], 0) / points.length);
    const found = track.frames.map((frame, i) => ({ frame, points: this.trackPoints(track, frame), confidence: track.confidence[i], manual: track.manual.includes(frame) }));
    const fresh = live.map(([frame, points, confidence]) => ({ frame, points, confidence, manual: false }));
    const there = new Set(fresh.map((f) => f.frame));
    const all = [...found.filter((f) => !there.has(f.frame)), ...fresh].sort((a, b) => a.frame - b.frame);
    return all.map(({ points, ...rest }) => ({ ...rest, x: middle(points)[0], y: middle(points)[1], here: rest.frame === this.view.frame }));
  }
}
