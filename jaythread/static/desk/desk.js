// The desk's acts: what the tools, the keys and the panel have in common. Knows the parts, draws nothing itself.

import { shifted } from "./geom/outline.js";
import { newId } from "./net/api.js";
import { around } from "./geom/view.js";
import { bounds, union } from "./geom/outline.js";
import { stackedAt } from "./model/hit.js";
import { carryAndCheck } from "./carry_and_check.js";
import { together } from "./together.js";
import { Brush } from "./tools/brush.js";
import { Carrying } from "./tools/carrying.js";
import { Dividing } from "./tools/dividing.js";
import { Freehand } from "./tools/freehand.js";
import { Readymade } from "./tools/readymade.js";
import { Points } from "./tools/points.js";
import { Placing } from "./tools/placing.js";
import { Softening } from "./tools/softening.js";
import { Tracing } from "./tools/tracing.js";

// What a change of the soft edge says: of the chosen points their reach, all else of the whole shape.
function softCommands(store, shape, { inner, outer, ...rest }) {
  const said = { shape: shape.id, frame: store.frame, ...store.spreading };
  const picked = [...store.pointsOf(shape.id)];
  const reach = inner !== undefined || outer !== undefined;
  const out = [];
  if (reach && picked.length) {
    out.push({ do: "reach", ...said, points: Object.fromEntries(picked.map((i) => [i, [inner ?? null, outer ?? null]])) });
  } else if (reach) Object.assign(rest, inner === undefined ? {} : { inner }, outer === undefined ? {} : { outer });
  if (Object.keys(rest).length) out.push({ do: "soften", ...said, ...rest });
  return out;
}

export class Desk {
  constructor(store, stage, edits, mattes, board, player) {
    Object.assign(this, { store, stage, edits, mattes, board, player });
    this.tracing = new Tracing(this);
    this.readymade = new Readymade(this);
    const carrying = new Carrying(this);
    this.ways = { points: this.tracing, ellipse: this.readymade, box: this.readymade, freehand: new Freehand(this), dividing: new Dividing(this), brush: new Brush(this), track: carrying, "hand track": carrying };
    this.tools = { trace: new Points(this), place: new Placing(this), soften: new Softening(this), carry: carrying };
    this.tools.check = this.tools.trace; // what is found there is mended by moving points
    this.tell = () => {};
    this.showKeys = () => {};
    store.addEventListener("frame", () => this.held());
    stage.extra = (pen, view) => this.tool.paint?.(pen, view);
  }

  get tool() {
    const { drawing } = this.store;
    if (drawing) return this.ways[drawing];
    return this.tools[this.store.step];
  }

  setStep(step) {
    if (this.store.drawing) this.stopTracing();
    this.store.set("step", step);
  }

  // how: "points" for clicking around the subject, "freehand" for a loop, "ellipse", "box" or "dividing" for a ready-made outline
  startTracing(how = "points") {
    if (!this.store.mayTrace) return this.tell("Your role here is to look; artists and leads trace.");
    this.store.set("step", "trace");
    this.store.set("hidden", false);
    this.store.set("drawing", how);
  }

  stopTracing() {
    this.tracing.clear();
    this.ways.freehand.clear();
    this.ways.brush.clear();
    this.store.set("drawing", false);
  }

  escape() {
    if (this.store.drawing) this.tool.cancel();
    else if (this.pointer.active) {
      this.pointer.active.cancel?.();
      this.pointer.active = null;
    } else if (this.store.pointCount) this.store.choosePoints(new Map([...this.store.picked.keys()].map((id) => [id, new Set()])));
    else this.store.choosePoints(new Map());
  }

  // A closed outline comes from the tracing tool: name and colour it, make a matte for it when there is none yet.
  traced(command) {
    const { store } = this;
    const names = new Set([...store.shapes.values()].map((s) => s.name));
    let k = store.shapes.size + 1;
    while (names.has(`shape ${k}`)) k++;
    const used = [...store.shapes.values()].map((s) => s.colour);
    const colour = [...Array(8).keys()].sort((a, b) => used.filter((c) => c === a).length - used.filter((c) => c === b).length)[0];
    const whole = { ...command, name: `shape ${k}`, colour, mode: "add", matte: store.matte };
    const before = [];
    if (!store.matte) {
      whole.matte = newId();
      before.push({ do: "new matte", matte: whole.matte, name: "main" });
      store.mattes.push({ id: whole.matte, name: "main", inverted: false, sentence: "", stack: [] });
      store.matte = whole.matte;
    }
    store.drawing = false;
    store.provisional(whole.path ? { ...whole, points: whole.path.map(([x, y]) => [x, y, 0, 0, 0, 0]), curves: whole.path.map(() => true) } : whole);
    this.edits.pushAll(`traced ${whole.name}`, [...before, whole]);
  }

  // Open the chosen outline again, before its chosen point when there is one, and carry on tracing it.
  reopen() {
    const { store } = this;
    const shape = store.editable.find((s) => s === store.shape);
    if (!shape || shape.curves.length < 3 || shape.constant) return this.tell("Choose the shape whose outline is to be carried on.");
    if (shape.form.length > 1) return this.tell("This outline is keyed on several frames: add points to it by a double click instead.");
    const outline = store.outline(shape);
    const from = Math.min(...store.pointsOf(shape.id), shape.curves.length);
    this.startTracing();
    this.tracing.reopen(shape, outline, from % shape.curves.length);
  }

  carriedOn(id, frame, points, curves) {
    const { store } = this;
    const shape = store.shapes.get(id);
    store.drawing = false;
    if (!shape) return this.tell("That shape is not there any more.");
    Object.assign(shape, { curves, constant: new Float32Array(points.flat()), made: frame });
    store.choose(id);
    this.edits.push({ do: "retrace", shape: id, frame, points, curves });
  }

  draft(command, drafts) {
    this.mattes.draft(command, drafts);
  }

  addPoint(shape, segment, t) {
    if (shape.constant || shape.curves.length < 2) return;
    this.edits.push({ do: "add point", shape: shape.id, segment, t }).then(() => this.store.choose(shape.id, [segment + 1]));
  }

  chooseAll() {
    const { store } = this;
    const shapes = store.chosenShapes.filter((s) => s.kind !== "group");
    store.choosePoints(new Map(shapes.map((s) => [s.id, new Set(s.curves.keys())])));
  }

  // One point on along the outline, from the chosen one (the first where none is).
  pointOn(way) {
    const { store } = this;
    const shape = store.editable.at(-1);
    if (!shape) return;
    const n = shape.curves.length;
    const from = [...store.pointsOf(shape.id)].at(-1);
    store.choose(shape.id, [from === undefined ? 0 : (from + way + n) % n]);
  }

  addNeighbours() {
    const { store } = this;
    const grown = (s) => [...store.pointsOf(s.id)].flatMap((i) => [i - 1, i, i + 1].map((k) => (k + s.curves.length) % s.curves.length));
    store.choosePoints(new Map(store.chosenShapes.map((s) => [s.id, new Set(grown(s))])));
  }

  invertChoice() {
    const { store } = this;
    const rest = (s) => [...s.curves.keys()].filter((i) => !store.pointsOf(s.id).has(i));
    store.choosePoints(new Map(store.chosenShapes.filter((s) => s.kind !== "group").map((s) => [s.id, new Set(rest(s))])));
  }

  // What a placing moves: the chosen shapes and groups, but not what a chosen group carries anyway.
  heads() {
    const { store } = this;
    return store.movable.filter((shape) => !store.picked.has(shape.group));
  }

  // By the keyboard: the chosen points, or the whole shapes when placing.
  nudge(dx, dy) {
    const { store } = this;
    if (store.drawing) return;
    const commands = [];
    for (const shape of store.step === "place" ? this.heads() : store.editable) {
      const points = store.outline(shape);
      if (store.step === "place") {
        commands.push({ do: "place", shape: shape.id, frame: store.frame, move: [dx, dy], ...store.spreading });
        for (const it of [shape, ...store.membersOf(shape.id)]) store.setLocal(it, shifted(store.outline(it), it.curves.keys(), dx, dy));
        continue;
      }
      const which = [...store.pointsOf(shape.id)];
      if (!which.length) continue;
      const now = shifted(points, which, dx, dy);
      const rows = Object.fromEntries(which.map((i) => [i, Array.from(now.subarray(i * 6, i * 6 + 6))]));
      commands.push({ do: "form", shape: shape.id, frame: store.frame, points: rows, ...store.spreading });
      store.setLocal(shape, now);
    }
    if (commands.length) this.edits.pushAll(`nudged ${commands.length} shapes`, commands);
  }

  // The picked key; or else the chosen points.
  takeAway() {
    const { store } = this;
    if (this.board.dropKey()) return;
    const commands = store.editable
      .filter((shape) => store.pointsOf(shape.id).size)
      .map((shape) => ({ do: "remove points", shape: shape.id, points: [...store.pointsOf(shape.id)] }));
    if (!commands.length || !store.mayTrace) return this.tell("Choose points, or pick a key on the thread board by a click on its knot.");
    store.choosePoints(new Map([...store.picked.keys()].map((id) => [id, new Set()])));
    this.edits.pushAll("removed points", commands);
  }

  pointKind(to) {
    const { store } = this;
    const shapes = store.editable.filter((shape) => store.pointsOf(shape.id).size);
    if (!shapes.length) return this.tell("Choose one or more points first.");
    const allCurves = shapes.every((shape) => [...store.pointsOf(shape.id)].every((i) => shape.curves[i]));
    const kind = to === "swap" ? (allCurves ? "corner" : "curve") : to;
    this.edits.pushAll(
      `made points ${kind}`,
      shapes.map((shape) => ({ do: "point kind", shape: shape.id, points: [...store.pointsOf(shape.id)], to: kind })),
    );
  }

  // Hold to see the marked frame (or the one before) in place of this one, outline included.
  flip(on) {
    const { store } = this;
    if (on && this.flipped === undefined) {
      this.flipped = store.frame;
      store.go(store.marked ?? store.frame - 1);
    } else if (!on && this.flipped !== undefined) {
      store.go(this.flipped);
      this.flipped = undefined;
    }
  }

  // Bring the chosen shape up (1) or down (-1) by one line of the stack.
  reorder(way) {
    const line = this.store.lines().find((l) => l.shape === this.store.chosen);
    const beside = line && this.store.lines().filter((l) => l.within === line.within);
    const to = beside?.[beside.indexOf(line) + way];
    if (to) this.bringTo(line.id, to.id);
  }

  // A line of the stack to where another one is; one that counts within a group stays within it.
  bringTo(line, to) {
    const lines = this.store.lines();
    const [from, there] = [line, to].map((id) => lines.find((l) => l.id === id));
    if (!from || !there || !this.store.mayTrace) return;
    const beside = lines.filter((l) => l.within === from.within);
    const goal = beside.find((l) => l === there || l.id === there.within);
    if (!goal) return this.tell(`It counts within ${this.store.shapes.get(lines.find((l) => l.id === from.within).shape).name}: drag that line, or let it move by itself first.`);
    const at = beside.indexOf(goal);
    const way = Math.sign(at - beside.indexOf(from));
    if (!way) return;
    const beyond = beside[at + way];
    this.edits.push({ do: "entry", entry: line, order: beyond ? (goal.order + beyond.order) / 2 : goal.order + way });
  }

  keyHere() {
    const { store } = this;
    const commands = store.movable.flatMap((shape) =>
      (shape.kind === "group" ? ["placement"] : ["form", "placement"]).map((channel) => ({ do: "key here", shape: shape.id, channel, frame: store.frame })),
    );
    if (commands.length) this.edits.pushAll(`keyed ${store.shape.name} on ${store.frame} as it was`, commands);
  }

  // change: how the live ranges become, from the ranges, the frame and the shot.
  live(change) {
    const { store } = this;
    if (!store.editable.length) return;
    const commands = store.editable.map((shape) => {
      const ranges = change(shape.live, store.frame, store.shot);
      return { do: "live", shape: shape.id, ranges };
    });
    this.edits.pushAll("set when shapes are live", commands);
  }

  // The soft edge of the chosen shapes here: shown at once, saved when the hand lets go (`done`).
  soften(values, done) {
    const { store } = this;
    const shapes = store.editable;
    if (!shapes.length) return;
    const known = shapes.flatMap((shape) => {
      const soft = { ...(store.localSoft.get(shape.id) || {}), ...values };
      store.localSoft.set(shape.id, soft);
      return softCommands(store, shape, soft);
    });
    if (!known.length) return;
    store.say("dragged");
    if (done) this.edits.pushAll(`softened ${known.length} shapes on ${store.frame}`, known);
    else {
      const drafts = shapes.map((shape) => ({ shape, before: store.outline(shape), after: store.outline(shape) }));
      this.draft(known.length === 1 ? known[0] : { do: "together", says: "softened", commands: known }, drafts);
    }
  }

  // Hold to see the chosen shapes (or points) without their soft edge.
  bare(on) {
    const { store } = this;
    if (on && !this.bared && store.editable.length) {
      this.bared = store.editable.map((s) => s.id);
      if (store.look === "plate") store.set("look", "matte");
      this.soften({ inner: 0, outer: 0, shift: 0 }, false);
    } else if (!on && this.bared) {
      for (const id of this.bared) store.settle(id);
      this.bared = null;
      store.say("changed");
    }
  }

  // The placement of the chosen shape here, by figures: what is given becomes so, the rest stays.
  placeAt(values) {
    const { store } = this;
    const { shape } = store;
    if (!store.movable.includes(shape)) return;
    const was = store.placement(shape);
    const now = { ...was, ...values };
    if (!(now.size > 0.001 && now.size < 1000) || ![now.x, now.y, now.turn].every(Number.isFinite)) {
      return this.tell("A placement needs plain figures, and a size between 0.1 % and 100000 %.");
    }
    const move = [now.x - was.x, now.y - was.y];
    const [turn, size] = [now.turn - was.turn, now.size / was.size];
    const about = turn || size !== 1 ? store.pivots.get(shape.id) : null; // where the artist has put the pivot
    this.edits.push({ do: "place", shape: shape.id, frame: store.frame, move, turn, size, ...(about ? { about } : {}), ...store.spreading });
  }

  // Which keys a change touches: the one here, all, those from here on; round and round.
  spreadOn() {
    const { store } = this;
    if (store.mayTrace) store.set("spread", { here: "all", all: "on", on: "here" }[store.spread]);
  }

  // Hide or show alone; kind: "veiled" or "alone".
  mark(kind) {
    const { store } = this;
    if (!store.shape) return;
    if (kind === "alone") store.marks.alone = store.marks.alone === store.shape.id ? null : store.shape.id;
    else store.marks.toggle(kind, [...store.picked.keys()]);
    store.say("changed");
  }

  // The next shape of those whose outlines lie under the pointer.
  nextUnder() {
    const { store, pointer } = this;
    if (!pointer.last) return;
    const { x, y, scale } = pointer.last;
    const there = stackedAt(store, scale, x, y).map((s) => s.id);
    if (there.length) store.choose(there[(there.indexOf(store.chosen) + 1) % there.length]);
  }

  // The chosen points, or else the chosen shapes, as large as they fit.
  zoomToChoice() {
    const { store, stage } = this;
    let box = null;
    for (const shape of store.chosenShapes) {
      const points = store.outline(shape);
      const some = [...store.pointsOf(shape.id)];
      if (store.pointCount) for (const i of some) box = union(box, [points[i * 6], points[i * 6 + 1], points[i * 6], points[i * 6 + 1]]);
      else if (points.length > 6) box = union(box, bounds(points));
    }
    if (!box) return this.tell("Choose points or a shape first.");
    this.viewBefore = stage.view;
    stage.setView(around(box, stage.size));
  }

  viewBack() {
    const { stage } = this;
    if (!this.viewBefore) return;
    const now = stage.view;
    stage.setView(this.viewBefore);
    this.viewBefore = now;
  }

  // Keep what the picked key holds, to put it on another frame.
  copyKey() {
    const { keys } = this.board;
    if (!keys.length) return this.tell("Pick a key on the thread board first, by a click on its knot.");
    this.copied = keys.map((k) => ({ ...k })).sort((a, b) => a.frame - b.frame);
    const what = keys.length > 1 ? `${keys.length} keys are` : `The ${keys[0].channel} key of frame ${keys[0].frame} is`;
    this.tell(`${what} copied: go to another frame and press V.`);
  }

  pasteKey() {
    const { copied, store } = this;
    if (!copied) return this.tell("Copy a key first: pick it on the thread board and press Y.");
    const by = store.frame - copied[0].frame; // the earliest of them falls on this frame
    const there = copied.filter((k) => store.shapes.has(k.shape));
    if (!store.mayTrace || !there.length || !by) return;
    // those farthest along the way first: a copy may fall on a frame whose own key is copied too
    const order = by > 0 ? there.toReversed() : there;
    const commands = order.map(({ shape, channel, frame }) => ({ do: "copy key", shape, channel, frame, to: frame + by }));
    this.edits.pushAll(`copied ${commands.length} keys to ${store.frame}`, commands);
  }
}

Object.assign(Desk.prototype, carryAndCheck, together);
