// The thread board: frames across, a thread per shape with its knots; below, which frames are at hand. Scrubbing on the ruler.

import * as signs from "./signs.js";

const ROW = 31;
const STRIP = 31; // px: how high the strip of the fit is
const FULL = 3; // px of offset that fill it
const SIDE = 16; // px left and right of the range
const TICKS = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];
const LABEL = 62; // px that a ruler figure needs
const CHANNELS = ["form", "placement", "settings", "reach"];

export class Board {
  constructor(element, store, plates, edits, player) {
    this.store = store;
    this.plates = plates;
    this.edits = edits;
    this.player = player;
    this.bringing = null; // picked keys that are being dragged along their threads
    this.boxing = null; // a box that is being drawn around keys: [x, y, x, y]
    this.ruler = element.querySelector(".ruler");
    this.rows = element.querySelector(".threads");
    this.strip = element.querySelector(".fit");
    this.keys = []; // the picked keys: [{shape, channel, frame}, ...], the last one last
    this.waiting = false;
    this.moving = null;
    this.window = null; // [first, last] of the frames shown, or all of the range
    this.opened = new Set(); // shapes whose channels have a line each
    this.head = element.querySelector(".head"); // the present frame: elements of their own, so that stepping redraws nothing
    this.line = element.querySelector(".head-line");
    store.addEventListener("changed", () => this.draw());
    store.addEventListener("frame", () => {
      this.follow();
      this.placeHead();
    });
    plates.addEventListener("loaded", () => this.draw());
    new ResizeObserver(() => this.draw()).observe(this.ruler.parentElement);
    for (const canvas of [this.ruler, this.rows, this.strip]) {
      canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
      canvas.addEventListener("dblclick", (e) => this.twice(e, canvas));
      canvas.addEventListener("pointerdown", (e) => this.down(e, canvas));
      canvas.addEventListener("pointermove", (e) => this.move(e));
      canvas.addEventListener("pointerup", () => this.up());
      canvas.addEventListener("pointercancel", () => this.drop());
    }
  }

  get span() {
    const [first, last] = this.window || [this.store.shot.first, this.store.shot.last];
    return { first, last, width: this.ruler.parentElement.clientWidth };
  }

  // The wheel zooms at the pointer, with Shift (or sideways) it pans; a double click on the ruler shows the whole range again.
  wheel(e) {
    const sideways = e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY);
    if (!sideways && e.currentTarget === this.rows && !e.ctrlKey) return; // over the threads the wheel scrolls them
    e.preventDefault();
    const whole = [this.store.shot.first, this.store.shot.last];
    const { first, last, width } = this.span;
    const by = (e.deltaMode === 1 ? 24 : 1) * (e.deltaX || e.deltaY);
    if (sideways) this.show(first + (by / width) * (last - first), last + (by / width) * (last - first));
    else {
      const at = first + ((e.offsetX - SIDE) / (width - 2 * SIDE)) * (last - first);
      const k = Math.exp(by * 0.0016);
      this.show(at - (at - first) * k, at + (last - at) * k);
    }
    if (this.window && this.window[0] <= whole[0] && this.window[1] >= whole[1]) this.window = null;
    this.draw();
  }

  // A frame stepped to outside of what is shown brings the window along.
  follow() {
    const { first, last } = this.span;
    const { frame } = this.store;
    if (!this.window || (frame >= first && frame <= last) || this.moving) return;
    this.show(frame < first ? frame : frame - (last - first), frame < first ? frame + (last - first) : frame);
    this.draw();
  }

  show(first, last) {
    const whole = [this.store.shot.first, this.store.shot.last];
    const wide = Math.min(whole[1] - whole[0], Math.max(6, last - first));
    const from = Math.min(whole[1] - wide, Math.max(whole[0], first));
    this.window = wide >= whole[1] - whole[0] ? null : [from, from + wide];
  }

  twice(e, canvas) {
    if (canvas === this.ruler) this.window = null;
    else {
      const line = this.lineAt(e.offsetY);
      if (line && !this.keyAt(e.offsetX, e.offsetY)?.channel) this.open(line.shape.id);
    }
    this.draw();
  }

  // Open a shape's thread to its channels, or close it.
  open(id) {
    if (!this.opened.delete(id)) this.opened.add(id);
    this.store.say("changed");
  }

  // The lines of the board: a thread per shape; of an opened one also a line per channel.
  lines() {
    const { store } = this;
    const told = new Set();
    return store.stack().flatMap((entry) => {
      const shape = store.shapes.get(entry.shape);
      const group = store.shapes.get(shape.group);
      const own = [{ shape, channel: null }];
      if (group && !told.has(group.id)) own.unshift({ shape: group, channel: null }); // a group stands before the first of its shapes
      if (group) told.add(group.id);
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
    const x = this.x(this.store.frame);
    const half = this.head.offsetWidth / 2;
    this.head.textContent = this.store.frame;
    const out = this.store.frame < this.span.first - 0.5 || this.store.frame > this.span.last + 0.5;
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
    if (this.boxing) {
      const [x0, y0, x1, y1] = this.boxing;
      pen.fillStyle = "rgba(31, 111, 156, 0.14)";
      pen.fillRect(x0, y0, x1 - x0, y1 - y0);
    }
    this.placeHead();
  }

  // Whether the fit of the stack is shown below the threads.
  get hasStrip() {
    return this.store.step === "check" || Boolean(this.fits?.state?.measured);
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
      pen.fillStyle = off === null ? signs.surface("tick") : off >= (this.fits.state?.weak || 1) ? signs.OCHRE : "#7f93a4";
      pen.fillRect(this.x(f) - wide / 2, foot - high, wide, high);
      if (!looked) continue;
      pen.beginPath();
      pen.arc(this.x(f), foot + 3.5, 1.8, 0, 7);
      pen.fillStyle = signs.surface("ink");
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
    pen.strokeStyle = signs.surface("tick");
    pen.fillStyle = signs.surface("soft");
    for (let f = Math.ceil(first); f <= last; f++) {
      const labelled = (f - this.store.shot.first) % step === 0;
      if (!labelled && (per < 4 || (f - this.store.shot.first) % Math.max(1, step / 10))) continue;
      const x = this.x(f);
      pen.beginPath();
      pen.moveTo(x, labelled ? 30 : 36);
      pen.lineTo(x, 41);
      pen.stroke();
      if (labelled) pen.fillText(String(f), Math.min(x, width - 18), 22);
    }
    if (this.player.loop) {
      const [a, b] = this.player.loop;
      pen.fillStyle = "rgba(184, 116, 26, 0.22)";
      pen.fillRect(this.x(a), 28, this.x(b) - this.x(a), 13);
    }
    pen.fillStyle = signs.surface("tick");
    if (this.store.marked !== null) {
      pen.strokeStyle = signs.surface("ink");
      pen.lineWidth = 2;
      pen.strokeRect(this.x(this.store.marked) - 4, 31, 8, 8);
      pen.lineWidth = 1;
    }
    for (let f = Math.ceil(first); f <= last; f++) {
      if (this.plates.quick.has(f)) pen.fillRect(this.x(f) - per / 2, 42, per + 0.5, 2);
    }
  }

  // One channel of an opened thread: its keys alone; a key that holds some points says which.
  paintChannel(pen, shape, channel, y) {
    pen.strokeStyle = signs.surface("line");
    pen.lineWidth = 1;
    pen.beginPath();
    pen.moveTo(SIDE, y);
    pen.lineTo(this.span.width - SIDE, y);
    pen.stroke();
    const colour = signs.COLOURS[shape.colour];
    const some = [...this.store.pointsOf(shape.id)];
    pen.font = "12px Figures, monospace";
    pen.textAlign = "center";
    for (const key of this.told(shape, channel)) {
      const x = this.at(shape, channel, key.frame);
      const picked = this.isPicked(shape, channel, key.frame);
      if (channel === "placement") signs.stitch(pen, x, y, picked);
      else if (channel === "settings" || channel === "reach") signs.dash(pen, x, y, picked);
      else {
        const mine = !some.length || key.full || some.some((i) => key.parts.includes(i)); // faint where the chosen points have no key
        pen.globalAlpha = mine ? 1 : 0.3;
        signs.knot(pen, x, y, colour, { ...key, picked });
        if (!key.full) {
          pen.fillStyle = signs.surface("soft");
          const text = key.parts.length > 4 ? `${key.parts.length} points` : key.parts.map((i) => i + 1).join(" ");
          pen.fillText(text, x, y - 7);
        }
        pen.globalAlpha = 1;
      }
    }
  }

  paintThread(pen, shape, y) {
    const { first, last } = this.span;
    const colour = signs.COLOURS[shape.colour];
    if (this.store.picked.has(shape.id)) {
      pen.fillStyle = signs.surface("leaf");
      pen.beginPath();
      pen.roundRect(-12, y - ROW / 2 + 1, this.span.width + 6, ROW - 2, 10);
      pen.fill();
    }
    pen.strokeStyle = signs.surface("tick");
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
    for (const key of this.told(shape, "form")) signs.knot(pen, this.at(shape, "form", key.frame), y, colour, { ...key, picked: this.isPicked(shape, "form", key.frame) });
    for (const key of this.told(shape, "placement")) signs.stitch(pen, this.at(shape, "placement", key.frame), y - 9, this.isPicked(shape, "placement", key.frame));
    for (const channel of ["settings", "reach"]) {
      for (const key of this.told(shape, channel)) signs.dash(pen, this.at(shape, channel, key.frame), y + 9, this.isPicked(shape, channel, key.frame));
    }
  }

  // A channel that has never been keyed by hand holds one key at rest: it is not shown.
  told(shape, channel) {
    const keys = shape[channel];
    if (shape.kind === "group" && channel !== "placement") return [];
    if (keys.length > 1 || channel === "form" || channel === "reach") return keys;
    if (channel === "placement") return keys.filter(() => shape.placed[0].slice(0, 4).some((v, i) => v !== (i === 3 ? 1 : 0)));
    return keys.filter(() => shape.soft[0].some((v, i) => v !== (i === 3 ? 1 : 0)));
  }

  // The picked key; of several the one picked last.
  get key() {
    return this.keys.at(-1) || null;
  }

  isPicked(shape, channel, frame) {
    return this.keys.some((k) => k.shape === shape.id && k.channel === channel && k.frame === frame);
  }

  // The key under a place on the rows.
  keyAt(x, y) {
    const line = this.lineAt(y);
    if (!line) return null;
    const { shape } = line;
    const dy = y - (Math.floor((y - 4) / ROW) * ROW + ROW / 2 + 4);
    const order = line.channel ? [line.channel] : dy < -5 ? ["placement", "form", "settings"] : dy > 5 ? ["reach", "settings", "form", "placement"] : CHANNELS;
    for (const channel of order) {
      const key = this.told(shape, channel).find((k) => Math.abs(this.x(k.frame) - x) < 7);
      if (key) return { shape: shape.id, channel, frame: key.frame };
    }
    return { shape: shape.id };
  }

  // A click picks a key, with Shift one more; a drag brings all picked ones along, with Alt it stretches them from the far end.
  // Shift and a drag beside the keys draws a box around some.
  down(e, canvas) {
    canvas.setPointerCapture(e.pointerId);
    if (canvas === this.rows) {
      const found = this.keyAt(e.offsetX, e.offsetY);
      if (found?.channel) return this.pick(found, e);
      if (e.shiftKey) {
        this.boxing = [e.offsetX, e.offsetY, e.offsetX, e.offsetY];
        return;
      }
      this.keys = [];
      if (found && !this.store.picked.has(found.shape)) this.store.choose(found.shape, [], e.shiftKey);
    }
    this.moving = canvas;
    this.store.go(this.frameAt(e.offsetX));
    this.draw();
  }

  pick(found, e) {
    const { store } = this;
    const at = this.keys.findIndex((k) => k.shape === found.shape && k.channel === found.channel && k.frame === found.frame);
    if (e.shiftKey && at >= 0) this.keys.splice(at, 1);
    else if (e.shiftKey || at >= 0) this.keys = [...this.keys.filter((_, i) => i !== at), found];
    else this.keys = [found];
    if (!store.picked.has(found.shape)) store.choose(found.shape, [], e.shiftKey);
    store.go(found.frame);
    store.say("changed");
    if (store.mayTrace && this.keys.length) this.bringing = { from: found.frame, to: found.frame, stretch: e.altKey && this.keys.length > 1 };
  }

  move(e) {
    const box = this.rows.getBoundingClientRect();
    if (this.boxing) {
      this.boxing.splice(2, 2, e.clientX - box.left, e.clientY - box.top);
      this.draw();
    } else if (this.bringing) {
      const { first, last } = this.span;
      this.bringing.to = Math.round(Math.min(last, Math.max(first, this.frameAt(e.clientX - box.left))));
      this.draw();
    } else if (this.moving) this.store.go(this.frameAt(e.clientX - this.moving.getBoundingClientRect().left));
    else if (e.target === this.rows) this.rows.style.cursor = this.keyAt(e.offsetX, e.offsetY)?.channel ? "pointer" : "default";
  }

  // Where a picked key goes while the picked ones are dragged: all by the same, or stretched from the one farthest from the hand.
  brought(frame) {
    const { from, to, stretch } = this.bringing;
    if (!stretch) return frame + to - from;
    const frames = this.keys.map((k) => k.frame);
    const still = Math.abs(Math.min(...frames) - from) > Math.abs(Math.max(...frames) - from) ? Math.min(...frames) : Math.max(...frames);
    return Math.round(still + ((frame - still) * (to - still)) / (from - still || 1));
  }

  // Picked keys were dragged to other frames: they go there with all that they hold.
  up() {
    if (this.boxing) this.pickBoxed();
    const { bringing } = this;
    if (bringing && bringing.to !== bringing.from) {
      const moved = this.keys.map((k) => ({ ...k, to: this.brought(k.frame) }));
      const each = new Map();
      for (const { shape, channel, frame, to } of moved) {
        const name = shape + channel;
        if (!each.has(name)) each.set(name, { do: "retime keys", shape, channel, moves: {} });
        each.get(name).moves[frame] = to;
      }
      this.keys = moved.map(({ shape, channel, to }) => ({ shape, channel, frame: to }));
      this.store.go(bringing.to);
      this.edits.pushAll(`${bringing.stretch ? "stretched" : "moved"} ${moved.length} keys`, [...each.values()]);
    }
    this.drop();
  }

  pickBoxed() {
    const [x0, y0, x1, y1] = this.boxing;
    const within = (v, a, b) => v >= Math.min(a, b) && v <= Math.max(a, b);
    this.lines().forEach(({ shape, channel }, i) => {
      const y = i * ROW + ROW / 2 + 4;
      for (const [one, off] of channel ? [[channel, 0]] : [["placement", -9], ["form", 0], ["settings", 9], ["reach", 9]]) {
        if (!within(y + off, y0, y1)) continue;
        for (const { frame } of this.told(shape, one)) {
          if (within(this.x(frame), x0, x1) && !this.isPicked(shape, one, frame)) this.keys.push({ shape: shape.id, channel: one, frame });
        }
      }
    });
    this.store.say("changed");
  }

  drop() {
    this.moving = this.bringing = this.boxing = null;
    this.draw();
  }

  // Where a key is drawn: under the pointer while it is dragged.
  at(shape, channel, frame) {
    return this.x(this.bringing && this.isPicked(shape, channel, frame) ? this.brought(frame) : frame);
  }

  // Take the picked keys away; true when there were some.
  dropKey() {
    const { keys } = this;
    if (!keys.length || !this.store.mayTrace) return false;
    this.keys = [];
    this.edits.pushAll(`removed ${keys.length} keys`, keys.map((key) => ({ do: "drop key", ...key })));
    return true;
  }
}
