// Acts on the soft edge and on the placement. `Desk` has them as its own.

import { edit } from "../net/commands.js";

// What a change of the soft edge says: of the chosen points their reach, all else of the whole shape.
function softCommands(store, shape, { inner, outer, ...rest }) {
  const said = { shape: shape.id, frame: store.view.frame, ...store.view.scoping };
  const points = [...store.selection.pointsOf(shape.id)];
  const reach = inner !== undefined || outer !== undefined;
  const out = [];
  if (reach && points.length) {
    out.push(edit.reach({ ...said, points: Object.fromEntries(points.map((i) => [i, [inner ?? null, outer ?? null]])) }));
  } else if (reach) Object.assign(rest, inner === undefined ? {} : { inner }, outer === undefined ? {} : { outer });
  if (Object.keys(rest).length) out.push(edit.soften({ ...said, ...rest }));
  return out;
}

/** @type {ThisType<any> & Record<string, any>} */
export const edge = {
  draft(command, drafts) {
    this.mattes.draft(command, drafts);
  },

  // The soft edge of the chosen shapes here: shown at once, saved when the hand lets go (`done`).
  soften(values, done) {
    const { store } = this;
    const shapes = store.selection.editable;
    if (!shapes.length) return;
    const known = shapes.flatMap((shape) => {
      const soft = { ...store.pending.softOf(shape.id), ...values };
      store.pending.setSoft(shape.id, soft);
      return softCommands(store, shape, soft);
    });
    if (!known.length) return;
    store.say("dragged");
    if (done) this.edits.pushAll(`softened ${known.length} shapes on ${store.view.frame}`, known);
    else {
      const drafts = shapes.map((shape) => ({ shape, before: store.pending.outline(shape), after: store.pending.outline(shape) }));
      this.draft(known.length === 1 ? known[0] : edit.together({ summary: "softened", commands: known }), drafts);
    }
  },

  // Hold to see the chosen shapes (or points) without their soft edge.
  bare(on) {
    const { store } = this;
    if (on && !this.bared && store.selection.editable.length) {
      this.bared = store.selection.editable.map((s) => s.id);
      if (store.view.mode === "plate") store.view.set("mode", "matte");
      this.soften({ inner: 0, outer: 0, shift: 0, lens: 0 }, false);
    } else if (!on && this.bared) {
      for (const id of this.bared) store.pending.settle(id);
      this.bared = null;
      store.say("changed");
    }
  },

  // What a placing moves: the chosen shapes and groups, but not what a chosen group carries anyway.
  heads() {
    const { store } = this;
    return store.selection.movable.filter((shape) => !store.document.groupsOf(shape).some((g) => store.selection.has(g.id)));
  },

  // The placement of the chosen shape here, by figures: what is given (from what it is) becomes so, the rest stays. What is on its way is
  // waited for: a figure counts from where the shape is, not from where it was.
  async placeAt(given) {
    const { store } = this;
    const { frame } = store.view;
    const id = store.selection.chosen;
    while (this.edits.waiting.length) await this.edits.run();
    const shape = store.document.shapes.get(id);
    if (!shape || !store.document.mayTrace || shape.locked) return;
    const was = store.pending.placement(shape, frame);
    const now = { ...was, ...given(was) };
    if (!(now.size > 0.001 && now.size < 1000) || ![now.x, now.y, now.turn, now.skew].every(Number.isFinite) || !(now.taller > 0)) {
      return this.tell("A placement needs plain figures, and a size between 0.1 % and 100000 %.");
    }
    const move = [now.x - was.x, now.y - was.y];
    const [turn, size] = [now.turn - was.turn, now.size / was.size];
    const form = { ...(now.skew === was.skew ? {} : { skew: now.skew - was.skew }), ...(now.taller === was.taller ? {} : { taller: now.taller / was.taller }) };
    const about = turn || size !== 1 || Object.keys(form).length ? store.selection.pivots.get(shape.id) : null; // where the artist has put the pivot
    this.edits.push(edit.place({ shape: shape.id, frame, move, turn, size, ...form, ...(about ? { about } : {}), ...store.view.scoping }));
  },
};
