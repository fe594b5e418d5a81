// The key that is picked on the thread board.

import { edit } from "../../net/commands.js";
import { part } from "./component.js";

export const pickedKey = part(() => ({
  key: null,

  sync() {
    const { board, store } = this.desk;
    const { key, keys } = board;
    const shape = key && store.document.shapes.get(key.shape);
    const there = shape && shape[key.channel].find((k) => k.frame === key.frame);
    this.key = there
      ? { ...key, many: keys.length, name: shape.name, kind: ["hold", "straight", "flowing"][there.kind], parts: there.full ? "all" : there.parts.length, settled: there.settled }
      : null;
  },
  setKind(event) {
    const kind = event.target.value;
    if (this.mayTrace) this.desk.edits.pushAll(`made keys ${kind}`, this.desk.board.keys.map((key) => edit.keyKind({ ...key, kind })));
  },
  flow() {
    if (this.mayTrace) this.desk.edits.pushAll("let keys flow again", this.desk.board.keys.map((key) => edit.flowAgain(key)));
  },
  take() {
    this.desk.takeAway();
  },
  copy() {
    this.desk.copyKey();
  },
}));
