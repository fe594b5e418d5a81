// Moving, turning and sizing whole shapes: keys the placement here. The pivot can be put anywhere.

import { placed } from "../geom/outline.js";
import { toScreen } from "../geom/view.js";
import { hit, NEAR } from "../model/hit.js";
import * as signs from "../view/signs.js";

const ARM = { turn: 96, size: 52, angle: -0.6 }; // screen px from the pivot to its bead and its notch, and where the arm points (radians)
const FINE = 15; // degrees a turn snaps to with Shift

export class Placing {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
  }

  handles(p) {
    const { store, stage } = this.desk;
    if (!store.shape) return null;
    const [x, y] = toScreen(stage.view, ...store.pivot(store.shape));
    const near = (hx, hy) => Math.hypot(p.sx - hx, p.sy - hy) < NEAR + 2;
    const along = (far) => [x + far * Math.cos(ARM.angle), y + far * Math.sin(ARM.angle)];
    for (const what of ["turn", "size"]) if (near(...along(ARM[what]))) return what;
    return null;
  }

  down(e, p) {
    const { store } = this.desk;
    let what = e.altKey ? "pivot" : this.handles(p);
    if (!what) {
      const found = hit(store, p.scale, p.x, p.y);
      if (found && !store.picked.has(found.shape.id)) store.choose(found.shape.id, [], e.shiftKey);
      what = "move";
    }
    if (!store.editable.includes(store.shape)) return;
    const pivot = store.pivot(store.shape);
    const starts = store.editable.map((shape) => ({ shape, points: Float32Array.from(store.outline(shape)) }));
    if (what === "pivot") store.pivots.set(store.shape.id, [p.x, p.y]);
    this.desk.stage.draw("outline");
    this.drag = { what, from: p, pivot, starts, move: [0, 0], turn: 0, size: 1, angle: Math.atan2(p.y - pivot[1], p.x - pivot[0]) };
  }

  move(e, p) {
    const { drag } = this;
    if (!drag) return;
    const { store } = this.desk;
    if (drag.what === "pivot") {
      store.pivots.set(store.shape.id, [p.x, p.y]);
      this.desk.stage.draw("outline");
      return;
    }
    const [px, py] = drag.pivot;
    if (drag.what === "move") {
      drag.move = [p.x - drag.from.x, p.y - drag.from.y];
      if (e.shiftKey) drag.move = Math.abs(drag.move[0]) > Math.abs(drag.move[1]) ? [drag.move[0], 0] : [0, drag.move[1]];
    } else if (drag.what === "turn") {
      const angle = Math.atan2(p.y - py, p.x - px);
      let step = ((angle - drag.angle) * 180) / Math.PI;
      step -= Math.round(step / 360) * 360;
      drag.turned = (drag.turned || 0) + step; // kept from move to move, so that a turn may go past a whole one
      drag.angle = angle;
      drag.turn = e.shiftKey ? Math.round(drag.turned / FINE) * FINE : drag.turned;
    } else {
      const was = Math.hypot(drag.from.x - px, drag.from.y - py) || 1;
      drag.size = Math.max(0.01, Math.hypot(p.x - px, p.y - py) / was);
    }
    const drafts = drag.starts.map(({ shape, points }) => {
      const now = placed(points, drag.pivot, drag.move, drag.turn, drag.size);
      store.dragging.add(shape.id);
      store.setLocal(shape, now);
      return { shape, before: points, after: now };
    });
    drag.moved = true;
    this.desk.draft(this.command(), drafts);
  }

  commands() {
    const { drag } = this;
    const { store } = this.desk;
    const { move, turn, size } = drag;
    const about = turn || size !== 1 ? drag.pivot : null;
    return drag.starts.map(({ shape }) => ({ do: "place", shape: shape.id, frame: store.frame, move, turn, size, about, ...store.spreading }));
  }

  command() {
    const commands = this.commands();
    return commands.length === 1 ? commands[0] : { do: "together", says: "placed shapes", commands };
  }

  up() {
    const { drag } = this;
    const { store } = this.desk;
    if (drag?.moved) {
      if (drag.what === "move") store.pivots.delete(store.shape?.id);
      this.desk.edits.pushAll(`placed ${drag.starts.length} shapes on ${store.frame}`, this.commands());
    }
    this.release();
  }

  release() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.dragging.delete(shape.id);
    this.drag = null;
  }

  cancel() {
    for (const { shape } of this.drag?.starts || []) this.desk.store.settle(shape.id);
    this.release();
    this.desk.store.say("changed");
  }

  hover(e, p) {
    return e.altKey ? "crosshair" : { turn: "grab", size: "nesw-resize" }[this.handles(p)] || "move";
  }

  paint(pen, view) {
    const { store } = this.desk;
    if (!store.shape || store.hidden) return;
    const at = this.drag?.what === "move" ? this.drag.pivot.map((v, i) => v + this.drag.move[i]) : store.pivot(store.shape);
    signs.arm(pen, ...toScreen(view, ...at), ARM);
  }
}
