// Finding an outline from a few strokes: painted within what is meant, and, with Shift or a pen's other end, outside of it, also in its holes.
// After each the region is looked for; Enter takes its outline, and those of the holes as shapes that cut. A loop drawn around it first, by the same stroke closed on itself, is looked within alone.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { newId, post } from "../net/api.js";
import { edit } from "../net/commands.js";
import { Stroke } from "./stroke.js";

const OFF = 0.9; // screen px that the outline may be off the line that was found
const CLOSES = 24; // screen px: a stroke that ends so near to where it began, and is large, is a loop around
const LOOP = 90; // screen px across, at least

export class Hints extends Stroke {
  twoEnds = true; // a pen's other end paints as well

  constructor(desk) {
    super(desk, 3);
    this.radius = 9; // screen px
    this.outside = false;
    /** @type {{path: number[][], radius: number, inside: boolean}[]} */
    this.strokes = [];
    /** @type {number[][] | null} */
    this.loop = null;
    /** @type {[number, number][]} */
    this.found = [];
    /** @type {[number, number][][]} */
    this.holes = [];
    this.warned = "";
    this.asked = 0;
  }

  get any() {
    return this.strokes.length > 0 || this.loop !== null;
  }

  clear() {
    super.clear();
    Object.assign(this, { strokes: [], loop: null, found: [], holes: [], warned: "" });
    this.asked++;
  }

  down(e, p) {
    this.outside = e.shiftKey || (e.pointerType === "pen" && e.button === 5);
    super.down(e, p);
  }

  up() {
    const { path, scale } = this;
    super.clear();
    if (!path.length) return;
    const [a, b] = [path[0], path[path.length - 1]];
    const wide = Math.max(...path.map(([x, y]) => Math.hypot(x - a[0], y - a[1])));
    const around = !this.any && !this.outside && path.length > 8 && wide * scale > LOOP && Math.hypot(a[0] - b[0], a[1] - b[1]) * scale < CLOSES;
    if (around) this.loop = path;
    else this.strokes.push({ path, radius: Math.min(500, Math.max(0.5, this.radius / scale)), inside: !this.outside });
    this.look();
  }

  // Ask for the region; of several questions on their way the last one counts.
  async look() {
    const { desk, strokes, loop } = this;
    const { document, view } = desk.store;
    const mine = ++this.asked;
    desk.stage.draw("outline");
    if (!this.any) {
      this.found = this.holes = [];
      return desk.stage.draw("outline");
    }
    try {
      const { path, holes, says } = await post(`/shots/${document.shot.id}/hints`, { frame: view.frame, hints: strokes, loop });
      if (mine !== this.asked) return;
      Object.assign(this, { found: path, holes });
      if (says && says !== this.warned) desk.tell(says); // once is enough
      this.warned = says;
    } catch (error) {
      if (mine !== this.asked) return;
      this.found = this.holes = [];
      desk.tell(error.message);
    }
    desk.stage.draw("outline");
  }

  // The last stroke is taken back.
  back() {
    if (this.strokes.length) this.strokes.pop();
    else this.loop = null;
    return this.look();
  }

  // What was found becomes the outline of the chosen shape on this frame, or that of a new one.
  finish(correct) {
    const { desk, found, holes } = this;
    const { store, stage } = desk;
    if (!found.length) return desk.tell("Nothing is found yet: paint within what is meant.");
    const { shape } = store.selection;
    const { frame } = store.view;
    this.clear();
    if (correct && shape && store.selection.editable.includes(shape)) {
      store.view.set("drawing", false);
      return desk.edits.push(edit.redraw({ shape: shape.id, frame, path: found, closed: true }));
    }
    const tolerance = Math.min(50, Math.max(0.3, OFF / stage.view.scale));
    const cuts = holes.map((path) => ({ do: "freehand", shape: newId(), entry: newId(), frame, path, tolerance }));
    return desk.traced({ do: "freehand", shape: newId(), entry: newId(), frame, path: found, tolerance }, cuts);
  }

  cancel() {
    const was = this.any || this.path.length;
    this.clear();
    if (!was) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }

  hover() {
    return "crosshair";
  }

  paint(pen, view) {
    const there = (path) => path.map(([x, y]) => /** @type {[number, number]} */ (toScreen(view, x, y)));
    for (const { path, radius, inside } of this.strokes) glyphs.hint(pen, there(path), radius * view.scale, inside);
    if (this.path.length) glyphs.hint(pen, there(this.path), this.radius, !this.outside);
    if (this.loop) glyphs.stroke(pen, there(this.loop));
    for (const line of [this.found, ...this.holes]) {
      if (line.length) glyphs.openly(pen, line.flatMap(([x, y]) => [x, y, 0, 0, 0, 0]), view);
    }
  }
}
