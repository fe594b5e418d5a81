// A change that is shown before it is taken: its outlines on every frame, and what it would say.

import { decodeOutlines } from "../model/store.js";
import { post } from "./api.js";

export class Trial {
  constructor(store, edits) {
    this.store = store;
    this.edits = edits;
    this.now = null; // {command, shapes, says}
    store.addEventListener("changed", () => this.now?.shapes.some((s) => !store.shapes.has(s.id)) && this.leave());
  }

  // why: what led to it, said before what it would do.
  async begin(command, why = "") {
    const answer = await post(`/shots/${this.store.shot.id}/tried`, { command });
    for (const shape of answer.shapes) shape.outlines = decodeOutlines(shape.outlines);
    answer.paths = (answer.paths || []).map(decodeOutlines);
    this.now = { command, why, ...answer };
    this.store.say("changed");
  }

  outlines(frame) {
    const at = frame - this.store.shot.first;
    const there = (this.now?.shapes || []).filter((s) => s.kind !== "group");
    return there.map((s) => s.outlines.subarray(at * s.curves.length * 6, (at + 1) * s.curves.length * 6));
  }

  // The reach of its points on a frame, where each has one: [{points, reaches, shift}].
  soft(frame) {
    const at = frame - this.store.shot.first;
    const there = (this.now?.shapes || []).filter((s) => s.reaches);
    return there.map((s) => ({
      points: s.outlines.subarray(at * s.curves.length * 6, (at + 1) * s.curves.length * 6),
      reaches: this.store.at(s.reaches, frame), shift: this.store.at(s.soft, frame)[2],
    }));
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
