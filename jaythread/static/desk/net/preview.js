// A change that is shown before it is taken: its outlines on every frame, and what it would say.

import { decodeFloats } from "../model/document.js";
import { post } from "./api.js";

export class Preview {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits */
  constructor(store, edits) {
    this.store = store;
    this.edits = edits;
    this.now = null; // {command, why, shapes, paths, summary}
    store.addEventListener("changed", () => this.now?.shapes.some((s) => !store.document.shapes.has(s.id)) && this.leave());
  }

  // why: what led to it, said before what it would do.
  async begin(command, why = "") {
    const answer = await post(`/shots/${this.store.document.shot.id}/preview`, { command });
    for (const shape of answer.shapes) shape.outlines = decodeFloats(shape.outlines);
    answer.paths = answer.paths.map(decodeFloats);
    this.now = { command, why, ...answer };
    this.store.say("changed");
  }

  #at(shape, frame) {
    const at = frame - this.store.document.shot.first;
    const n = shape.curves.length * 6;
    return shape.outlines.subarray(at * n, (at + 1) * n);
  }

  outlines(frame) {
    return (this.now?.shapes || []).filter((s) => s.kind !== "group").map((s) => this.#at(s, frame));
  }

  // The reach of its points on a frame, where each has one: [{points, reaches, shift}].
  soft(frame) {
    const { document } = this.store;
    const there = (this.now?.shapes || []).filter((s) => s.reaches);
    return there.map((s) => ({ points: this.#at(s, frame), reaches: document.at(s.reaches, frame), shift: document.at(s.soft, frame)[2] }));
  }

  // The shapes with lens softness on a frame, and how far it spreads their edge: [{points, soft}].
  lenses(frame) {
    const { document } = this.store;
    const there = (this.now?.shapes || []).filter((s) => s.kind !== "group" && document.at(s.soft, frame)[4]);
    return there.map((s) => {
      const [, , shift, , lens] = document.at(s.soft, frame);
      return { points: this.#at(s, frame), soft: { inner: lens, outer: lens, shift } };
    });
  }

  take() {
    const { command } = this.now;
    this.leave();
    return this.edits.push(command);
  }

  leave() {
    this.now = null;
    this.store.say("changed");
  }
}
