// Acts of looking: comparing frames, zooming to what is chosen. `Desk` has them as its own.

import { bounds, union } from "../geom/outline.js";
import { around } from "../geom/view.js";
import { stackedAt } from "../model/hit.js";
import { keepKnown, knows } from "../model/next.js";

/** @type {ThisType<any> & Record<string, any>} */
export const looking = {
  // Hold to see the marked frame (or the one before) in place of this one, outline included.
  flip(on) {
    const { store } = this;
    if (on && this.flipped === undefined) {
      this.flipped = store.view.frame;
      store.view.go(store.view.marked ?? store.view.frame - 1);
    } else if (!on && this.flipped !== undefined) {
      store.view.go(this.flipped);
      this.flipped = undefined;
    }
  },

  // Another view of the picture; the one that shows the matte in use, asked for once more, shows its seam.
  look(mode) {
    const { store, inUse } = this;
    if (mode === "in use" && store.view.mode === mode) inUse.turnBright();
    else store.view.set("mode", mode);
  },

  // Whether the sentence about the next thing stands above the picture's corner.
  tellNext() {
    keepKnown(!knows());
    this.store.say("changed");
  },

  // The picture alone in a window of its own, for another screen; asked for again, the same window comes up.
  secondWindow() {
    const { document } = this.store;
    if (!open(`${location.pathname}?second`, `jaythread-${document.shot.id}`, "popup,width=1280,height=760")) this.tell("The browser did not let the window open. Allow it for this page.");
  },

  // The chosen points, or else the chosen shapes, as large as they fit.
  zoomToChoice() {
    const { store, stage } = this;
    let box = null;
    for (const shape of store.selection.chosenShapes) {
      const points = store.pending.outline(shape);
      const some = [...store.selection.pointsOf(shape.id)];
      if (store.selection.pointCount) for (const i of some) box = union(box, [points[i * 6], points[i * 6 + 1], points[i * 6], points[i * 6 + 1]]);
      else if (points.length > 6) box = union(box, bounds(points));
    }
    if (!box) return this.tell("Choose points or a shape first.");
    this.viewBefore = stage.view;
    stage.setView(around(box, stage.size));
  },

  viewBack() {
    const { stage } = this;
    if (!this.viewBefore) return;
    const now = stage.view;
    stage.setView(this.viewBefore);
    this.viewBefore = now;
  },

  // The next shape of those whose outlines lie under the pointer.
  nextUnder() {
    const { store, pointer } = this;
    if (!pointer.last) return;
    const { x, y, scale } = pointer.last;
    const there = stackedAt(store, scale, x, y).map((s) => s.id);
    if (there.length) store.selection.choose(there[(there.indexOf(store.selection.chosen) + 1) % there.length]);
  },
};
