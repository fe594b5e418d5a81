// Moving, turning and sizing whole shapes: keys the placement here. The pivot can be put anywhere.

import { placed } from "../geom/outline.js";
import { hit } from "../model/hit.js";
import { edit } from "../net/commands.js";
import { armAt, paintArm, Swing } from "./arm.js";

export class Placing {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
  }

  handles(p) {
    const { store, stage } = this.desk;
    return store.selection.shape ? armAt(stage.view, store.pending.pivot(store.selection.shape), p) : null;
  }

  down(e, p) {
    const { store } = this.desk;
    let what = e.altKey ? "pivot" : this.handles(p);
    if (!what) {
      const found = hit(store, p.scale, p.x, p.y);
      if (found && !store.selection.has(found.shape.id)) store.selection.choose(found.shape.id, [], e.shiftKey);
      what = "move";
    }
    if (!store.selection.movable.includes(store.selection.shape)) return;
    const pivot = store.pending.pivot(store.selection.shape);
    const heads = this.desk.heads(); // a shape whose group moves is carried, not moved
    const moved = [...heads, ...heads.flatMap((s) => store.document.carriedBy(s.id))];
    const starts = moved.map((shape) => ({ shape, points: Float32Array.from(store.pending.outline(shape)) }));
    if (what === "pivot") store.selection.pivots.set(store.selection.shape.id, [p.x, p.y]);
    this.desk.stage.draw("outline");
    this.drag = { what, from: p, pivot, heads, starts, move: [0, 0], swing: new Swing(what, pivot, p) };
  }

  move(e, p) {
    const { drag } = this;
    if (!drag) return;
    const { store } = this.desk;
    if (drag.what === "pivot") {
      store.selection.pivots.set(store.selection.shape.id, [p.x, p.y]);
      this.desk.stage.draw("outline");
      return;
    }
    if (drag.what === "move") {
      drag.move = [p.x - drag.from.x, p.y - drag.from.y];
      if (e.shiftKey) drag.move = Math.abs(drag.move[0]) > Math.abs(drag.move[1]) ? [drag.move[0], 0] : [0, drag.move[1]];
    } else drag.swing.move(p, e.shiftKey);
    const drafts = drag.starts.map(({ shape, points }) => {
      const now = placed(points, drag.pivot, drag.move, drag.swing.turn, drag.swing.size);
      store.pending.hold(shape.id);
      store.pending.setOutline(shape, now);
      return { shape, before: points, after: now };
    });
    drag.moved = true;
    this.desk.draft(this.command(), drafts);
  }

  commands() {
    const { drag } = this;
    const { store } = this.desk;
    const { move } = drag;
    const { turn, size } = drag.swing;
    const about = turn || size !== 1 ? drag.pivot : null;
    return drag.heads.map((shape) => edit.place({ shape: shape.id, frame: store.view.frame, move, turn, size, about, ...store.view.scoping }));
  }

  command() {
    const commands = this.commands();
    return commands.length === 1 ? commands[0] : edit.together({ summary: "placed shapes", commands });
  }

  up() {
    const { drag } = this;
    const { store } = this.desk;
    if (drag?.moved) {
      if (drag.what === "move") store.selection.pivots.delete(store.selection.shape?.id);
      this.desk.edits.pushAll(`placed ${drag.heads.length} shapes on ${store.view.frame}`, this.commands());
    }
    this.release();
  }

  release() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.pending.letGo(shape.id);
    this.drag = null;
  }

  cancel() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.pending.settle(shape.id);
    this.release();
    this.desk.store.say("changed");
  }

  // A double click on a shape takes hold of the group that it moves with; once more: of that one's group.
  twice(e, p) {
    const { store } = this.desk;
    const found = hit(store, p.scale, p.x, p.y);
    const groups = store.document.groupsOf(found?.shape);
    const held = groups.findIndex((g) => g.id === store.selection.chosen);
    const next = groups[held + 1] || groups[0];
    if (next) store.selection.choose(next.id);
  }

  hover(e, p) {
    return e.altKey ? "crosshair" : { turn: "grab", size: "nesw-resize" }[this.handles(p)] || "move";
  }

  paint(pen, view) {
    const { store } = this.desk;
    if (!store.selection.shape || store.view.hidden) return;
    const at = this.drag?.what === "move" ? this.drag.pivot.map((v, i) => v + this.drag.move[i]) : store.pending.pivot(store.selection.shape);
    paintArm(pen, view, at);
  }
}
