// A change that is shown before it is taken: its outlines on every frame, and what it would say.

import { decodeOutlines } from "../model/store.js";
import { post } from "./api.js";

export class Trial {
  constructor(store, edits) {
    this.store = store;
    this.edits = edits;
    this.now = null; // {command, shape, says}
    store.addEventListener("changed", () => this.now && !store.shapes.has(this.now.shape.id) && this.leave());
  }

  async begin(command) {
    const answer = await post(`/shots/${this.store.shot.id}/tried`, { command });
    answer.shape.outlines = decodeOutlines(answer.shape.outlines);
    this.now = { command, ...answer };
    this.store.say("changed");
  }

  outline(frame) {
    const { shape } = this.now;
    const n = shape.curves.length * 6;
    const at = frame - this.store.shot.first;
    return shape.outlines.subarray(at * n, (at + 1) * n);
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
