// Acts on points: choosing them, moving them by the keyboard, adding and taking away. `Desk` has them as its own.

import { shifted } from "../geom/outline.js";
import { hit } from "../model/hit.js";
import { edit } from "../net/commands.js";

/** @type {ThisType<any> & Record<string, any>} */
export const points = {
  addPoint(shape, segment, t) {
    if (shape.constant || shape.curves.length < 2) return;
    this.edits.push(edit.addPoint({ shape: shape.id, segment, t })).then(() => this.store.selection.choose(shape.id, [segment + 1]));
  },

  chooseAll() {
    const { store } = this;
    this.board.keys = [];
    const shapes = store.selection.chosenShapes.filter((s) => s.kind !== "group");
    store.selection.choosePoints(new Map(shapes.map((s) => [s.id, new Set(s.curves.keys())])));
  },

  // One point on along the outline, from the chosen one (the first where none is).
  pointOn(way) {
    const { store } = this;
    const shape = store.selection.editable.at(-1);
    if (!shape) return;
    this.board.keys = [];
    const n = shape.curves.length;
    const from = [...store.selection.pointsOf(shape.id)].at(-1);
    store.selection.choose(shape.id, [from === undefined ? 0 : (from + way + n) % n]);
  },

  addNeighbours() {
    const { store } = this;
    this.board.keys = [];
    const grown = (s) => [...store.selection.pointsOf(s.id)].flatMap((i) => [i - 1, i, i + 1].map((k) => (k + s.curves.length) % s.curves.length));
    store.selection.choosePoints(new Map(store.selection.chosenShapes.map((s) => [s.id, new Set(grown(s))])));
  },

  invertChoice() {
    const { store } = this;
    this.board.keys = [];
    const rest = (s) => [...s.curves.keys()].filter((i) => !store.selection.pointsOf(s.id).has(i));
    store.selection.choosePoints(new Map(store.selection.chosenShapes.filter((s) => s.kind !== "group").map((s) => [s.id, new Set(rest(s))])));
  },

  // By the keyboard: the chosen points, or the whole shapes when placing.
  nudge(dx, dy) {
    const { store } = this;
    if (store.view.drawing) return;
    const commands = [];
    for (const shape of store.view.step === "place" ? this.heads() : store.selection.editable) {
      const points = store.pending.outline(shape);
      if (store.view.step === "place") {
        commands.push(edit.place({ shape: shape.id, frame: store.view.frame, move: [dx, dy], ...store.view.scoping }));
        for (const it of [shape, ...store.document.carriedBy(shape.id)]) store.pending.setOutline(it, shifted(store.pending.outline(it), it.curves.keys(), dx, dy));
        continue;
      }
      const which = [...store.selection.pointsOf(shape.id)];
      if (!which.length) continue;
      const now = shifted(points, which, dx, dy);
      const rows = Object.fromEntries(which.map((i) => [i, Array.from(now.subarray(i * 6, i * 6 + 6))]));
      commands.push(edit.form({ shape: shape.id, frame: store.view.frame, points: rows, ...store.view.scoping }));
      store.pending.setOutline(shape, now);
    }
    if (commands.length) this.edits.pushAll(`nudged ${commands.length} shapes`, commands);
  },

  // What was chosen last: picked keys, or else points. Points go from all keys, which is said before.
  takeAway() {
    const { store } = this;
    if (this.board.dropKey()) return;
    const keyed = store.selection.editable.filter((shape) => store.selection.pointsOf(shape.id).size && shape.form.length > 1);
    const many = Math.max(0, ...keyed.map((shape) => shape.form.length));
    const count = store.selection.pointCount;
    if (many && store.document.mayTrace && !confirm(`Remove ${count === 1 ? "this point" : `these ${count} points`} on every frame, with all ${many} keys? Undo brings them back.`)) return;
    const commands = store.selection.editable
      .filter((shape) => store.selection.pointsOf(shape.id).size)
      .map((shape) => edit.removePoints({ shape: shape.id, points: [...store.selection.pointsOf(shape.id)] }));
    if (!commands.length || !store.document.mayTrace) return this.tell("Choose points, or pick a key on the thread board by a click on its knot.");
    store.selection.letPointsGo();
    this.edits.pushAll("removed points", commands);
  },

  // The eraser end of a pen takes back: the last point in hand, what is being drawn, or the point that it is put on.
  erase(p) {
    const { store } = this;
    if (store.view.drawing === "points") return this.tracing.takeBack();
    if (store.view.drawing) return this.tool.cancel();
    const found = hit(store, p.scale, p.x, p.y);
    if (found?.kind !== "point" || !store.selection.editable.includes(found.shape)) return;
    store.selection.choose(found.shape.id, [found.index]);
    this.board.keys = [];
    this.takeAway();
  },

  pointKind(to) {
    const { store } = this;
    const shapes = store.selection.editable.filter((shape) => store.selection.pointsOf(shape.id).size);
    if (!shapes.length) return this.tell("Choose one or more points first.");
    const allCurves = shapes.every((shape) => [...store.selection.pointsOf(shape.id)].every((i) => shape.curves[i]));
    const kind = to === "swap" ? (allCurves ? "corner" : "curve") : to;
    this.edits.pushAll(
      `made points ${kind}`,
      shapes.map((shape) => edit.pointKind({ shape: shape.id, points: [...store.selection.pointsOf(shape.id)], to: kind })),
    );
  },
};
