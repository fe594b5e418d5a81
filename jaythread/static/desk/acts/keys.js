// Acts on keys. `Desk` has them as its own.

import { edit } from "../net/commands.js";

/** @type {ThisType<any> & Record<string, any>} */
export const keys = {
  keyHere() {
    const { store } = this;
    const commands = store.selection.movable.flatMap((shape) =>
      /** @type {("form" | "placement")[]} */ (shape.kind === "group" ? ["placement"] : ["form", "placement"]).map((channel) => edit.keyHere({ shape: shape.id, channel, frame: store.view.frame })),
    );
    if (commands.length) this.edits.pushAll(`keyed ${store.selection.shape.name} on ${store.view.frame} as it was`, commands);
  },

  // Which keys a change touches: the one here, all, those from here on; round and round.
  nextScope() {
    const { store } = this;
    if (store.document.mayTrace) store.view.set("scope", { here: "all", all: "on", on: "here" }[store.view.scope]);
  },

  // The picked keys by so many frames; where none is picked, those of the chosen shapes here.
  bringKeys(by) {
    const { board, store } = this;
    if (!board.keys.length) board.pickOn(store.view.frame);
    if (!board.bringKeys(by)) this.tell("There is no key of what is chosen here: Shift + left and right go to one, and pick it.");
  },

  // Keep what the picked key holds, to put it on another frame.
  copyKey() {
    const { keys } = this.board;
    if (!keys.length) return this.tell("Pick a key on the thread board first, by a click on its knot.");
    this.copied = keys.map((k) => ({ ...k })).sort((a, b) => a.frame - b.frame);
    const what = keys.length > 1 ? `${keys.length} keys are` : `The ${keys[0].channel} key of frame ${keys[0].frame} is`;
    this.tell(`${what} copied: go to another frame and press V.`);
  },

  pasteKey() {
    const { copied, store } = this;
    if (!copied) return this.tell("Copy a key first: pick it on the thread board and press Y.");
    const by = store.view.frame - copied[0].frame; // the earliest of them falls on this frame
    const there = copied.filter((k) => store.document.shapes.has(k.shape));
    if (!store.document.mayTrace || !there.length || !by) return;
    // those farthest along the way first: a copy may fall on a frame whose own key is copied too
    const order = by > 0 ? there.toReversed() : there;
    const commands = order.map(({ shape, channel, frame }) => edit.copyKey({ shape, channel, frame, to: frame + by }));
    this.edits.pushAll(`copied ${commands.length} keys to ${store.view.frame}`, commands);
  },

  // change: how the live ranges become, from the ranges, the frame and the shot.
  live(change) {
    const { store } = this;
    if (!store.selection.editable.length) return;
    const commands = store.selection.editable.map((shape) => {
      const ranges = change(shape.live, store.view.frame, store.document.shot);
      return edit.live({ shape: shape.id, ranges });
    });
    this.edits.pushAll("set when shapes are live", commands);
  },
};
