// Acts of tracing: beginning an outline, ending it, carrying one on. `Desk` has them as its own.

import { newId } from "../net/api.js";
import { edit } from "../net/commands.js";

/** @type {ThisType<any> & Record<string, any>} */
export const tracing = {
  // how: "points" for clicking around the subject, "freehand" for a loop, "ellipse", "box" or "dividing" for a ready-made outline
  startTracing(how = "points") {
    if (!this.store.document.mayTrace) return this.tell("Your role here is to look; artists and leads trace.");
    this.store.view.set("step", "trace");
    this.store.view.set("hidden", false);
    this.store.view.set("drawing", how);
  },

  stopTracing() {
    this.tracing.clear();
    this.ways.freehand.clear();
    this.ways.redraw.clear();
    this.ways.brush.clear();
    this.ways.hints.clear();
    this.ways.note.clear();
    this.store.view.set("drawing", false);
  },

  escape() {
    if (this.store.view.drawing) this.tool.cancel();
    else if (this.pointer.active) {
      this.pointer.active.cancel?.();
      this.pointer.active = null;
    } else if (this.store.selection.pointCount) this.store.selection.letPointsGo();
    else this.store.selection.choosePoints(new Map());
  },

  // A closed outline comes from the tracing tool: name and colour it, make a matte for it when there is none yet. cuts: holes in it.
  traced(command, cuts = []) {
    const { store } = this;
    const used = [...store.document.shapes.values()].map((s) => s.colour);
    const colour = [...Array(8).keys()].sort((a, b) => used.filter((c) => c === a).length - used.filter((c) => c === b).length)[0];
    const name = store.document.freeName("shape", store.document.shapes.size + 1);
    const whole = { ...command, name, colour, mode: "add", matte: store.selection.matte };
    const before = [];
    if (!store.selection.matte) {
      whole.matte = newId();
      before.push(edit.newMatte({ matte: whole.matte, name: "main" }));
      store.document.provisionalMatte(whole.matte, "main");
      store.selection.turnTo(whole.matte);
    }
    store.view.set("drawing", false, true);
    store.provisional(whole.path ? { ...whole, points: whole.path.map(([x, y]) => [x, y, 0, 0, 0, 0]), curves: whole.path.map(() => true) } : whole);
    const holes = cuts.map((cut, k) => ({ ...cut, name: `${name} hole${k ? ` ${k + 1}` : ""}`, colour, mode: "cut", matte: whole.matte }));
    this.edits.pushAll(`traced ${whole.name}`, [...before, whole, ...holes]);
  },

  // Open the chosen outline again, before its chosen point when there is one, and carry on tracing it.
  reopen() {
    const { store } = this;
    const shape = store.selection.editable.find((s) => s === store.selection.shape);
    if (!shape || shape.curves.length < 3 || shape.constant) return this.tell("Choose the shape whose outline is to be carried on.");
    if (shape.form.length > 1) return this.tell("This outline is keyed on several frames: add points to it by a double click instead.");
    const outline = store.pending.outline(shape);
    const from = Math.min(...store.selection.pointsOf(shape.id), shape.curves.length);
    this.startTracing();
    this.tracing.reopen(shape, outline, from % shape.curves.length);
  },

  carriedOn(id, frame, points, curves) {
    const { store } = this;
    const shape = store.document.shapes.get(id);
    store.view.set("drawing", false, true);
    if (!shape) return this.tell("That shape is not there any more.");
    store.document.provisionalOutline(id, frame, points, curves);
    store.selection.choose(id);
    this.edits.push(edit.retrace({ shape: id, frame, points, curves }));
  },
};
