// The threads as they are drawn: frames across, a thread per shape with its knots; below, which frames are at hand.

import * as glyphs from "../glyphs/outlines.js";
import { followsOf } from "../model/sentences.js";

export const ROW = 31;
export const RANGE = 6; // px: how far down the ruler the line of the working range lies
const STRIP = 31; // px: how high the strip of the fit is
const FULL = 3; // px of offset that fill it
export const SIDE = 16; // px left and right of the range
const TICKS = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];
const LABEL = 62; // px that a ruler figure needs
export const CHANNELS = ["form", "placement", "settings", "reach"];

export class Threads {
  constructor(element, store, plates, player) {
    this.store = store;
    this.plates = plates;
    this.player = player;
    /** @type {import("../net/fits.js").Fits | null} */
    this.fits = null;
    /** @type {import("../net/drawing.js").Drawing | null} */
    this.drawing = null;
    /** @type {any} */
    this.bringing = null; // picked keys that are being dragged along their threads
    this.ranging = null; // the working range while an end of it is dragged: {end, frames}
    this.boxing = null; // a box that is being drawn around keys: [x, y, x, y]
    this.ruler = element.querySelector(".ruler");
    this.rows = element.querySelector(".threads");
    this.strip = element.querySelector(".fit");
    this.keys = []; // the picked keys: [{shape, channel, frame}, ...], the last one last
    this.waiting = false;
    this.moving = null;
    this.window = null; // [first, last] of the frames shown, or all of the range
    this.washed = ""; // shapes that are dragged, as the board was drawn last
    this.opened = new Set(); // shapes whose channels have a line each
    this.folded = new Set(); // groups whose shapes are put away
    this.head = element.querySelector(".head"); // the present frame: elements of their own, so that stepping redraws nothing
    this.line = element.querySelector(".head-line");
    store.addEventListener("changed", () => this.draw());
    store.addEventListener("dragged", () => {
      const dragged = [...store.pending.dragging].join();
      if (dragged === this.washed) return;
      this.washed = dragged; // the frames that follow come up, or go
      this.draw();
    });
    store.addEventListener("frame", () => {
      this.follow();
      this.placeHead();
    });
    plates.addEventListener("loaded", () => this.draw());
    new ResizeObserver(() => this.draw()).observe(this.ruler.parentElement);
  }

  get span() {
    const [first, last] = this.window || [this.store.document.shot.first, this.store.document.shot.last];
    return { first, last, width: this.ruler.parentElement.clientWidth };
  }

  // A frame stepped to outside of what is shown brings the window along.
  follow() {
    const { first, last } = this.span;
    const { frame } = this.store.view;
    if (!this.window || (frame >= first && frame <= last) || this.moving) return;
    this.show(frame < first ? frame : frame - (last - first), frame < first ? frame + (last - first) : frame);
    this.draw();
  }

  show(first, last) {
    const whole = [this.store.document.shot.first, this.store.document.shot.last];
    const wide = Math.min(whole[1] - whole[0], Math.max(6, last - first));
    const from = Math.min(whole[1] - wide, Math.max(whole[0], first));
    this.window = wide >= whole[1] - whole[0] ? null : [from, from + wide];
  }

  // The lines of the board: a thread per shape; of an opened one also a line per channel.
  lines() {
    const { store } = this;
    const told = new Set();
    return store.selection.stack().flatMap((entry) => {
      const shape = store.document.shapes.get(entry.shape);
      const groups = store.document.groupsOf(shape).reverse();
      const folded = groups.findIndex((g) => this.folded.has(g.id));
      const shown = folded < 0 ? groups : groups.slice(0, folded + 1);
      const own = shown.filter((g) => !told.has(g.id)).map((g) => ({ shape: g, channel: null })); // a group stands before the first of its shapes
      for (const group of shown) told.add(group.id);
      if (folded >= 0) return own;
      own.push({ shape, channel: null });
      return this.opened.has(shape.id) ? [...own, ...CHANNELS.filter((c) => c !== "reach" || shape.reach.length).map((channel) => ({ shape, channel }))] : own;
    });
  }

  lineAt(y) {
    return this.lines()[Math.floor((y - 4) / ROW)];
  }

  x(frame) {
    const { first, last, width } = this.span;
    return SIDE + ((frame - first) / Math.max(1, last - first)) * (width - 2 * SIDE);
  }

  frameAt(x) {
    const { first, last, width } = this.span;
    return Math.round(first + ((x - SIDE) / (width - 2 * SIDE)) * (last - first));
  }

  draw() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => {
      this.waiting = false;
      this.paint();
    });
  }

  pen(canvas, height) {
    const ratio = devicePixelRatio || 1;
    const { width } = this.span;
    const pen = canvas.getContext("2d");
    const size = [Math.round(width * ratio), Math.round(height * ratio)];
    if (canvas.width !== size[0] || canvas.height !== size[1]) {
      canvas.style.width = `${width}px`;
      canvas.style.height = `${height}px`;
      [canvas.width, canvas.height] = size;
      pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    }
    pen.clearRect(0, 0, width, height);
    return pen;
  }

  placeHead() {
    const { width } = this.span;
    const x = this.x(this.store.view.frame);
    const half = this.head.offsetWidth / 2;
    this.head.textContent = this.store.view.frame;
    const out = this.store.view.frame < this.span.first - 0.5 || this.store.view.frame > this.span.last + 0.5;
    this.head.style.visibility = this.line.style.visibility = out ? "hidden" : "visible";
    this.head.style.transform = `translateX(${Math.min(width - half - 1, Math.max(half + 1, x)) - half}px)`;
    this.line.style.transform = `translateX(${x - 0.75}px)`;
  }

  paint() {
    this.paintRuler();
    if (this.hasStrip) this.paintStrip();
    const lines = this.lines();
    const height = Math.max(this.rows.parentElement.parentElement.clientHeight - 2, lines.length * ROW + 16);
    const pen = this.pen(this.rows, height);
    lines.forEach(({ shape, channel }, i) => {
      const y = i * ROW + ROW / 2 + 4;
      if (channel) this.paintChannel(pen, shape, channel, y);
      else this.paintThread(pen, shape, y);
    });
    this.fade(pen, height);
    if (this.boxing) {
      const [x0, y0, x1, y1] = this.boxing;
      pen.fillStyle = "rgba(31, 111, 156, 0.14)";
      pen.fillRect(x0, y0, x1 - x0, y1 - y0);
    }
    this.placeHead();
  }

  // Whether the fit of the stack is shown below the threads.
  get hasStrip() {
    return this.store.view.step === "check" || Boolean(this.fits?.state?.measured);
  }

  // A bar a frame: the higher, the farther the weakest outline is off; ochre from a pixel on; a thin grey line where nothing is known; a
  // dot below where somebody has looked.
  paintStrip() {
    const pen = this.pen(this.strip, STRIP);
    const { first, last, width } = this.span;
    const per = (width - 2 * SIDE) / Math.max(1, last - first);
    const foot = STRIP - 8;
    for (let f = Math.ceil(first); f <= last; f++) {
      const [off, , looked] = this.fits?.of(f) || [null];
      const wide = Math.max(1, per - 1.5);
      const high = off === null ? 1 : Math.max(2, Math.min(1, off / FULL) * (foot - 3));
      pen.fillStyle = off === null ? glyphs.surface("tick") : off >= (this.fits.state?.weak || 1) ? glyphs.OCHRE : "#7f93a4";
      pen.fillRect(this.x(f) - wide / 2, foot - high, wide, high);
      if (!looked) continue;
      pen.beginPath();
      pen.arc(this.x(f), foot + 3.5, 1.8, 0, 7);
      pen.fillStyle = glyphs.surface("ink");
      pen.fill();
    }
  }

  paintRuler() {
    const { first, last, width } = this.span;
    const pen = this.pen(this.ruler, 44);
    const per = (width - 2 * SIDE) / Math.max(1, last - first);
    const step = TICKS.find((t) => t * per > LABEL) || 10000;
    pen.font = "12px Figures, monospace";
    pen.textAlign = "center";
    pen.strokeStyle = glyphs.surface("tick");
    pen.fillStyle = glyphs.surface("soft");
    for (let f = Math.ceil(first); f <= last; f++) {
      const labelled = (f - this.store.document.shot.first) % step === 0;
      if (!labelled && (per < 4 || (f - this.store.document.shot.first) % Math.max(1, step / 10))) continue;
      const x = this.x(f);
      pen.beginPath();
      pen.moveTo(x, labelled ? 30 : 36);
      pen.lineTo(x, 41);
      pen.stroke();
      if (labelled) pen.fillText(String(f), Math.min(x, width - 18), 22);
    }
    this.paintRange(pen);
    if (this.player.loop) {
      const [a, b] = this.player.loop;
      pen.fillStyle = "rgba(184, 116, 26, 0.22)";
      pen.fillRect(this.x(a), 28, this.x(b) - this.x(a), 13);
    }
    pen.fillStyle = glyphs.surface("tick");
    if (this.store.view.marked !== null) {
      pen.strokeStyle = glyphs.surface("ink");
      pen.lineWidth = 2;
      pen.strokeRect(this.x(this.store.view.marked) - 4, 31, 8, 8);
      pen.lineWidth = 1;
    }
    for (let f = Math.ceil(first); f <= last; f++) {
      if (this.plates.quick.has(f)) pen.fillRect(this.x(f) - per / 2, 42, per + 0.5, 2);
    }
  }

  // The working range: a line along the top with a bead at either end, which can be dragged. Where the picture is cut: two strokes.
  paintRange(pen) {
    const [a, b] = this.ranging?.frames || this.store.document.working;
    const whole = a === this.store.document.shot.first && b === this.store.document.shot.last;
    pen.strokeStyle = pen.fillStyle = whole && !this.ranging ? glyphs.surface("tick") : glyphs.surface("jay");
    pen.lineWidth = 2;
    pen.beginPath();
    pen.moveTo(this.x(a), RANGE);
    pen.lineTo(this.x(b), RANGE);
    pen.stroke();
    for (const f of [a, b]) {
      pen.beginPath();
      pen.arc(this.x(f), RANGE, 4, 0, 7);
      pen.fill();
    }
    pen.lineWidth = 1.5;
    pen.strokeStyle = glyphs.surface("ink");
    for (const cut of this.store.document.plate?.cuts || []) {
      const x = this.x(cut - 0.5);
      pen.beginPath();
      for (const by of [-2, 2]) {
        pen.moveTo(x + by - 2, 41);
        pen.lineTo(x + by + 2, 30);
      }
      pen.stroke();
    }
    pen.lineWidth = 1;
  }

  // Frames outside of the working range are pale.
  fade(pen, height) {
    const [a, b] = this.ranging?.frames || this.store.document.working;
    const { width } = this.span;
    pen.save();
    pen.globalAlpha = 0.6;
    pen.fillStyle = glyphs.surface("deep");
    pen.fillRect(0, 0, Math.max(0, this.x(a - 0.5)), height);
    pen.fillRect(this.x(b + 0.5), 0, Math.max(0, width - this.x(b + 0.5)), height);
    pen.restore();
  }

  // One channel of an opened thread: its keys alone; a key that holds some points says which.
  paintChannel(pen, shape, channel, y) {
    pen.strokeStyle = glyphs.surface("line");
    pen.lineWidth = 1;
    pen.beginPath();
    pen.moveTo(SIDE, y);
    pen.lineTo(this.span.width - SIDE, y);
    pen.stroke();
    const colour = glyphs.COLOURS[shape.colour];
    const some = [...this.store.selection.pointsOf(shape.id)];
    pen.font = "12px Figures, monospace";
    pen.textAlign = "center";
    for (const key of this.told(shape, channel)) {
      const x = this.at(shape, channel, key.frame);
      const picked = this.isPicked(shape, channel, key.frame);
      if (channel === "placement") glyphs.stitch(pen, x, y, picked);
      else if (channel === "settings" || channel === "reach") glyphs.dash(pen, x, y, picked);
      else {
        const mine = !some.length || key.full || some.some((i) => key.parts.includes(i)); // faint where the chosen points have no key
        pen.globalAlpha = mine ? 1 : 0.3;
        glyphs.knot(pen, x, y, colour, { ...key, picked });
        if (!key.full) {
          pen.fillStyle = glyphs.surface("soft");
          const text = key.parts.length > 4 ? `${key.parts.length} points` : key.parts.map((i) => i + 1).join(" ");
          pen.fillText(text, x, y - 7);
        }
        pen.globalAlpha = 1;
      }
    }
  }

  paintThread(pen, shape, y) {
    const { first, last } = this.span;
    const colour = glyphs.COLOURS[shape.colour];
    if (this.store.selection.has(shape.id)) {
      pen.fillStyle = glyphs.surface("leaf");
      pen.beginPath();
      pen.roundRect(-12, y - ROW / 2 + 1, this.span.width + 6, ROW - 2, 10);
      pen.fill();
    }
    if (this.store.pending.dragging.has(shape.id) && this.store.view.scope === "here") this.paintFollowing(pen, shape, y);
    pen.strokeStyle = glyphs.surface("tick");
    pen.lineWidth = 1.4;
    pen.setLineDash([1.5, 4]);
    pen.beginPath();
    pen.moveTo(this.x(first), y);
    pen.lineTo(this.x(last), y);
    pen.stroke();
    pen.setLineDash([]);
    pen.strokeStyle = colour;
    pen.lineWidth = 3;
    for (const [a, b] of shape.live.length ? shape.live : [[first, last]]) {
      if (b < first || a > last) continue;
      pen.beginPath();
      pen.moveTo(this.x(Math.max(a, first)), y);
      pen.lineTo(this.x(Math.min(b, last)), y);
      pen.stroke();
    }
    this.paintDrawn(pen, shape, y, colour);
    for (const key of this.told(shape, "form")) glyphs.knot(pen, this.at(shape, "form", key.frame), y, colour, { ...key, picked: this.isPicked(shape, "form", key.frame) });
    for (const key of this.told(shape, "placement")) glyphs.stitch(pen, this.at(shape, "placement", key.frame), y - 9, this.isPicked(shape, "placement", key.frame));
    for (const channel of ["settings", "reach"]) {
      for (const key of this.told(shape, channel)) glyphs.dash(pen, this.at(shape, channel, key.frame), y + 9, this.isPicked(shape, channel, key.frame));
    }
  }

  // Frames that the picture has drawn: a small ring each, filled with paper; where it is not sure, a short line up as well.
  paintDrawn(pen, shape, y, colour) {
    for (const [frame] of this.drawing?.hard(shape) || []) glyphs.frayed(pen, this.x(frame), y);
    const track = shape.carrier?.how === "bend" && this.store.document.tracks.get(shape.carrier.track);
    if (!track) return;
    const keyed = new Set(shape.form.map((key) => key.frame));
    const apart = this.x(1) - this.x(0);
    for (const [k, frame] of track.frames.entries()) {
      const x = this.x(frame);
      if (keyed.has(frame) || x < 0 || x > this.span.width) continue;
      const weak = track.confidence[k] < 0.5;
      if (apart > 4 || weak) glyphs.drawnFrame(pen, x, y, colour, { weak, small: apart < 7 });
    }
  }

  // While a drag is on: the frames that follow, in a pale wash.
  paintFollowing(pen, shape, y) {
    const { document, selection, view } = this.store;
    const [low, high] = followsOf(document.shot, selection, shape, view.frame, view.step, this.fits?.lookedAt || []);
    pen.fillStyle = "rgba(184, 116, 26, 0.2)";
    pen.fillRect(this.x(low - 0.5), y - ROW / 2 + 3, this.x(high + 0.5) - this.x(low - 0.5), ROW - 6);
  }

  // A channel that has never been keyed by hand holds one key at rest: it is not shown.
  told(shape, channel) {
    const keys = shape[channel];
    if (shape.kind === "group" && channel !== "placement") return [];
    if (keys.length > 1 || channel === "form" || channel === "reach") return keys;
    if (channel === "placement") return keys.filter(() => shape.placed[0].slice(0, 4).some((v, i) => v !== (i === 3 ? 1 : 0)));
    return keys.filter(() => shape.soft[0].some((v, i) => v !== (i === 3 ? 1 : 0)));
  }

  // Which keys are picked, and where one is drawn: whoever handles them says so.
  /** @param {any[]} _of a shape, a channel and a frame @returns {boolean} */
  isPicked(..._of) {
    return false;
  }

  /** @param {any} shape @param {string} channel @param {number} frame */
  at(shape, channel, frame) {
    return this.x(frame);
  }
}
