// Choosing and moving points: one, several, a loop around some; tangents too. Every move keys the form of just those points here.

import { shifted, turned, turnTangent } from "../geom/outline.js";
import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { hit, inLoop } from "../model/hit.js";
import { edit } from "../net/commands.js";
import { armAt, paintArm, Swing } from "./arm.js";

const STILL = 3; // screen px: a drag shorter than this is a click

export class Points {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
    this.loop = null;
  }

  // With several points chosen they turn and size about a pivot: their middle, or where Alt and a click have put it.
  get pivot() {
    const { store } = this.desk;
    if (store.selection.pointCount < 2 || !store.selection.editable.length) return null;
    return store.selection.choicePivot || store.pending.middle;
  }

  down(e, p) {
    const { store, stage } = this.desk;
    if (this.pivot && e.altKey && !hit(store, p.scale, p.x, p.y)) {
      store.selection.putChoicePivot([p.x, p.y]);
      return stage.draw("outline");
    }
    const arm = this.pivot && armAt(stage.view, this.pivot, p);
    if (arm) {
      const found = { kind: "arm" };
      this.drag = { found, from: p, moved: false, starts: this.starts(found), swing: new Swing(arm, this.pivot, p) };
      return;
    }
    const found = hit(store, p.scale, p.x, p.y);
    if (!found) {
      this.loop = { path: [[p.x, p.y]], from: p, add: e.shiftKey };
      return;
    }
    const { shape } = found;
    if (found.kind === "point") {
      const has = store.selection.pointsOf(shape.id).has(found.index);
      if (e.shiftKey && has) {
        store.selection.letPointGo(shape.id, found.index);
        return;
      }
      if (!has) store.selection.choose(shape.id, [found.index], e.shiftKey);
    } else if (found.kind === "edge") {
      const ends = store.selection.has(shape.id) ? [found.segment, (found.segment + 1) % shape.curves.length] : [];
      const has = ends.length && ends.every((i) => store.selection.pointsOf(shape.id).has(i));
      if (!has) store.selection.choose(shape.id, ends, e.shiftKey);
      if (!ends.length) return;
    }
    if (store.document.mayTrace) this.drag = { found, from: p, moved: false, starts: this.starts(found) };
  }

  // Chosen shapes with points to move, and their outlines as they stand.
  starts(found) {
    const { store } = this.desk;
    const shapes = found.kind === "tangent" ? [found.shape] : store.selection.editable.filter((s) => store.selection.pointsOf(s.id).size);
    return shapes.map((shape) => ({ shape, points: Float32Array.from(store.pending.outline(shape)) }));
  }

  move(e, p) {
    if (this.loop) {
      this.loop.path.push([p.x, p.y]);
      this.desk.stage.draw("outline");
      return;
    }
    const { drag } = this;
    if (!drag) return;
    if (!drag.moved && Math.hypot(p.sx - drag.from.sx, p.sy - drag.from.sy) < STILL) return;
    drag.moved = true;
    drag.swing?.move(p, e.shiftKey);
    const { store } = this.desk;
    const drafts = drag.starts.map(({ shape, points }) => {
      const now = this.changed(shape, points, p, e);
      store.pending.hold(shape.id);
      store.pending.setOutline(shape, now);
      return { shape, before: points, after: now };
    });
    this.desk.draft(this.command(), drafts);
  }

  changed(shape, points, p, e) {
    const { found, from, swing } = this.drag;
    if (swing) return turned(points, this.desk.store.selection.pointsOf(shape.id), swing.pivot, swing.turn, swing.size);
    if (found.kind === "tangent") return turnTangent(points, found.index, found.side, p.x, p.y, shape.curves[found.index] && !e.altKey);
    let dx = p.x - from.x;
    let dy = p.y - from.y;
    if (e.shiftKey) [dx, dy] = Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy];
    return shifted(points, this.desk.store.selection.pointsOf(shape.id), dx, dy);
  }

  commands() {
    const { store } = this.desk;
    const { found } = this.drag;
    return this.drag.starts.map(({ shape }) => {
      const now = store.pending.outline(shape);
      const which = found.kind === "tangent" ? [found.index] : [...store.selection.pointsOf(shape.id)];
      const points = Object.fromEntries(which.map((i) => [i, Array.from(now.subarray(i * 6, i * 6 + 6))]));
      return edit.form({ shape: shape.id, frame: store.view.frame, points, ...store.view.scoping });
    });
  }

  command() {
    const commands = this.commands();
    return commands.length === 1 ? commands[0] : edit.together({ summary: "moved points", commands });
  }

  up(e, p) {
    if (this.loop) return this.endLoop(p);
    const { drag } = this;
    if (drag?.moved) this.desk.edits.pushAll(`moved points of ${drag.starts.length} shapes on ${this.desk.store.view.frame}`, this.commands());
    this.release();
  }

  release() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.pending.letGo(shape.id);
    this.drag = null;
    this.desk.stage.draw("outline");
  }

  cancel() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.pending.settle(shape.id);
    this.loop = null;
    this.release();
    this.desk.store.say("changed");
  }

  endLoop(p) {
    const { store } = this.desk;
    const { path, from, add } = this.loop;
    this.loop = null;
    if (Math.hypot(p.sx - from.sx, p.sy - from.sy) < STILL && path.length < 4) {
      if (!add) store.selection.choosePoints(new Map(store.selection.chosen && store.selection.pointCount ? [[store.selection.chosen, new Set()]] : []));
      return;
    }
    const picked = new Map(add ? store.selection.map : []);
    const free = store.selection.stack().map((line) => store.document.shapes.get(line.shape)).filter((s) => !s.locked && store.view.hiddenShapes.isShown(s.id));
    const among = store.selection.chosenShapes.length ? store.selection.editable : free;
    for (const shape of among) {
      const points = store.pending.outline(shape);
      const inside = shape.curves.map((_, i) => i).filter((i) => inLoop(path, points[i * 6], points[i * 6 + 1]));
      if (inside.length) picked.set(shape.id, new Set([...(add ? store.selection.pointsOf(shape.id) : []), ...inside]));
    }
    if (!picked.size && store.selection.chosen) picked.set(store.selection.chosen, new Set());
    store.selection.choosePoints(picked);
  }

  twice(e, p) {
    const { store } = this.desk;
    const found = hit(store, p.scale, p.x, p.y);
    if (found?.kind === "edge" && store.document.mayTrace) this.desk.addPoint(found.shape, found.segment, found.t);
  }

  hover(e, p) {
    const arm = this.pivot && armAt(this.desk.stage.view, this.pivot, p);
    if (arm) return arm === "turn" ? "grab" : "nesw-resize";
    const found = hit(this.desk.store, p.scale, p.x, p.y);
    if (!found) return "default";
    return found.kind === "edge" ? "pointer" : "move";
  }

  paint(pen, view) {
    const { pivot } = this;
    if (pivot && !this.desk.store.view.hidden && !this.desk.store.view.playing) paintArm(pen, view, this.drag?.swing?.pivot || pivot);
    if (this.loop) glyphs.loop(pen, this.loop.path.map(([x, y]) => toScreen(view, x, y)));
  }
}
