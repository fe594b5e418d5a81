// The picture, the matte and the outlines: three canvases, one above the other. A drag redraws only the uppermost.

import * as V from "../geom/view.js";
import { reachLines } from "../geom/reach.js";
import * as signs from "./signs.js";
import { marks, place } from "./track_signs.js";

const GROUNDS = { checker: "#5f5f5f", black: "#000", white: "#fff", grey: "#777" };
const CHECK = 12; // screen px
const LOUPE = { radius: 64, away: 104, times: 4 }; // screen px, and how much larger
const WHILE_DRAGGED = 0.55; // the outline fades while it is dragged, so that the edge below it can be judged

export class Stage {
  constructor(element, store, plates, mattes) {
    this.element = element;
    this.store = store;
    this.plates = plates;
    this.mattes = mattes;
    this.canvases = ["plate-layer", "matte-layer", "outline-layer"].map((name) => {
      const canvas = document.createElement("canvas");
      canvas.className = name;
      element.append(canvas);
      return canvas;
    });
    this.view = V.makeView(1, 0, 0);
    this.fitted = true;
    this.pending = new Set();
    this.extra = null;
    new ResizeObserver(() => this.resize()).observe(element);
    store.addEventListener("frame", () => this.draw("plate", "matte", "outline"));
    store.addEventListener("changed", () => this.draw("plate", "matte", "outline"));
    store.addEventListener("dragged", () => this.draw("outline"));
    plates.addEventListener("loaded", (e) => e.detail === store.frame && this.draw("plate", "matte"));
    mattes.addEventListener("loaded", () => this.draw("matte"));
    document.fonts?.ready.then(() => this.draw("plate"));
    this.resize();
  }

  get size() {
    return [this.element.clientWidth, this.element.clientHeight];
  }

  resize() {
    const ratio = devicePixelRatio || 1;
    for (const canvas of this.canvases) {
      canvas.width = Math.round(this.element.clientWidth * ratio);
      canvas.height = Math.round(this.element.clientHeight * ratio);
      canvas.getContext("2d").setTransform(ratio, 0, 0, ratio, 0, 0);
    }
    if (this.fitted) this.view = V.fit(this.store.shot.size, this.size);
    this.draw("plate", "matte", "outline");
  }

  setView(view, fitted = false) {
    this.view = view;
    this.fitted = fitted;
    this.store.say("view");
    this.draw("plate", "matte", "outline");
  }

  fit() {
    this.setView(V.fit(this.store.shot.size, this.size), true);
  }

  exact() {
    this.setView(V.exact(this.view, this.size));
  }

  draw(...layers) {
    if (!this.pending.size) requestAnimationFrame(() => this.paint());
    for (const layer of layers) this.pending.add(layer);
  }

  paint() {
    this.element.dataset.view = [this.view.scale, this.view.x, this.view.y].join(" "); // for whoever drives the page from outside
    const layers = this.pending;
    this.pending = new Set();
    if (layers.has("plate")) this.paintPlate();
    if (layers.has("matte")) this.paintMatte();
    if (layers.has("outline")) this.paintOutlines();
  }

  pen(i) {
    const pen = this.canvases[i].getContext("2d");
    pen.clearRect(0, 0, ...this.size);
    return pen;
  }

  rect() {
    const [w, h] = this.store.shot.size;
    const { x, y, scale } = this.view;
    return [x, y, w * scale, h * scale];
  }

  // While on, the matte's layer begins at the pointer: what is left of it is the plate.
  wipe(on) {
    if (on === this.wiping) return;
    this.wiping = on;
    this.canvases[1].style.clipPath = on ? `inset(0 0 0 ${this.pointer?.last?.sx ?? this.size[0] / 2}px)` : "";
    this.draw("plate", "matte");
  }

  // Figures of the plate and the matte under the pointer, when the loupe is wanted.
  under(p) {
    if (this.wiping) this.canvases[1].style.clipPath = `inset(0 0 0 ${p.sx}px)`;
    if (!this.store.loupe || this.store.dragging.size) return;
    const [x, y] = [Math.floor(p.x), Math.floor(p.y)];
    const [w, h] = this.store.shot.size;
    this.store.figures = "";
    if (x >= 0 && y >= 0 && x < w && y < h) {
      const picture = this.plates.full.get(this.store.frame);
      if (!picture) this.plates.best(this.store.frame, true);
      const pen = (this.one ||= new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true }));
      pen.clearRect(0, 0, 1, 1);
      if (picture) pen.drawImage(picture, x, y, 1, 1, 0, 0, 1, 1);
      const colour = picture ? [...pen.getImageData(0, 0, 1, 1).data].slice(0, 3).join(" ") : "on its way";
      const matte = this.store.look === "plate" ? null : this.mattes.current();
      pen.clearRect(0, 0, 1, 1);
      if (matte) pen.drawImage(matte, x, y, 1, 1, 0, 0, 1, 1);
      const alpha = matte ? `, matte ${(pen.getImageData(0, 0, 1, 1).data[3] / 255).toFixed(3)}` : "";
      this.store.figures = `${x}, ${y}: plate ${colour}${alpha}`;
    }
    this.store.say("under");
  }

  paintPlate() {
    const pen = this.pen(0);
    if (this.store.look === "cut-out" && !this.wiping) return this.paintGround(pen);
    const wantsFull = this.view.scale * (devicePixelRatio || 1) >= 1;
    const picture = this.plates.best(this.store.frame, wantsFull) || (this.store.playing ? this.lastPicture : null);
    this.lastPicture = picture;
    pen.imageSmoothingEnabled = !wantsFull;
    pen.imageSmoothingQuality = this.store.playing ? "low" : "medium";
    this.canvases[0].style.filter = this.showDisplay();
    if (picture) pen.drawImage(picture, ...this.rect());
    else {
      pen.fillStyle = "#6a6a6a";
      pen.fillRect(...this.rect());
      if (this.plates.missing.has(this.store.frame)) {
        pen.fillStyle = "#f3eee2";
        pen.font = "14px Next, sans-serif";
        pen.textAlign = "center";
        pen.fillText(`Frame ${this.store.frame} is missing from the stills`, this.size[0] / 2, this.size[1] / 2);
      }
    }
    this.hasFull = Boolean(wantsFull && this.plates.full.get(this.store.frame));
  }

  // Exposure, gamma and single channels change what is shown of the plate, nothing else.
  showDisplay() {
    const { exposure, gamma, channel } = this.store.display;
    if (!exposure && gamma === 1 && channel === "all") return "none";
    const gain = 2 ** exposure;
    const only = ["red", "green", "blue"].indexOf(channel);
    const rows = [0, 1, 2].map((row) => [0, 1, 2].map((column) => ((only < 0 ? row : only) === column ? gain : 0)).concat(0, 0).join(" "));
    document.getElementById("display-gain").setAttribute("values", [...rows, "0 0 0 1 0"].join(" "));
    for (const part of document.querySelectorAll("#display feFuncR, #display feFuncG, #display feFuncB")) part.setAttribute("exponent", 1 / gamma);
    return "url(#display)";
  }

  behind(pen, paint) {
    const kept = new OffscreenCanvas(pen.canvas.width, pen.canvas.height);
    kept.getContext("2d").drawImage(pen.canvas, 0, 0);
    pen.clearRect(0, 0, ...this.size);
    paint();
    pen.drawImage(kept, 0, 0, ...this.size);
  }

  // Exactly black, exactly white, or between, as the core has it (the picture for the screen keeps that apart); or the plate just there.
  paintLevels(pen, matte, look) {
    pen.fillStyle = "#4a4a4a";
    pen.fillRect(...this.rect());
    if (!matte) return;
    pen.imageSmoothingEnabled = false;
    if (look === "levels") return pen.drawImage(this.levels(matte, (a) => (a === 0 ? [0, 0, 0, 255] : a === 255 ? [255, 255, 255, 255] : [184, 116, 26, 255])), ...this.rect());
    const picture = this.plates.best(this.store.frame, this.view.scale * (devicePixelRatio || 1) >= 1);
    if (!picture) return;
    const there = new OffscreenCanvas(pen.canvas.width, pen.canvas.height);
    const at = there.getContext("2d");
    at.setTransform(pen.getTransform());
    at.imageSmoothingEnabled = false;
    at.drawImage(this.levels(matte, (a) => (a === 0 || a === 255 ? [0, 0, 0, 0] : [0, 0, 0, 255])), ...this.rect());
    at.globalCompositeOperation = "source-in";
    at.drawImage(picture, ...this.rect());
    pen.drawImage(there, 0, 0, ...this.size);
  }

  levels(matte, colour) {
    const { width, height } = matte;
    const image = matte.getContext("2d").getImageData(0, 0, width, height);
    const { data } = image;
    const table = [...Array(256).keys()].map(colour);
    for (let i = 0; i < data.length; i += 4) {
      const c = table[data[i + 3]];
      data[i] = c[0];
      data[i + 1] = c[1];
      data[i + 2] = c[2];
      data[i + 3] = c[3];
    }
    const out = new OffscreenCanvas(width, height);
    out.getContext("2d").putImageData(image, 0, 0);
    return out;
  }

  paintGround(pen, alone = true) {
    if (alone) this.canvases[0].style.filter = "none";
    const [x, y, w, h] = this.rect();
    const other = this.store.grounds.find((g) => `plate ${g.id}` === this.store.ground);
    pen.fillStyle = other ? "#777" : GROUNDS[this.store.ground] || this.store.ground;
    pen.fillRect(x, y, w, h);
    const picture = other && this.plates.other(other);
    if (picture) {
      const k = Math.max(w / picture.width, h / picture.height); // it fills the frame; what juts out is cut off
      const [across, down] = [w / k, h / k];
      pen.drawImage(picture, (picture.width - across) / 2, (picture.height - down) / 2, across, down, x, y, w, h);
    }
    if (this.store.ground !== "checker") return;
    pen.save();
    pen.beginPath();
    pen.rect(x, y, w, h);
    pen.clip();
    pen.fillStyle = "#8e8e8e";
    for (let j = 0; j * CHECK < h; j++) {
      for (let i = j % 2; i * CHECK < w; i += 2) pen.fillRect(x + i * CHECK, y + j * CHECK, CHECK, CHECK);
    }
    pen.restore();
  }

  // The plate's picture through the matte.
  paintCutOut(pen, matte) {
    const full = this.view.scale * (devicePixelRatio || 1) >= 1;
    const picture = this.plates.best(this.store.frame, full);
    if (!matte || !picture) return;
    pen.drawImage(matte, ...this.rect());
    pen.globalCompositeOperation = "source-in";
    pen.imageSmoothingEnabled = !full;
    pen.drawImage(picture, ...this.rect());
    pen.globalCompositeOperation = "source-atop"; // hair in its own colour, not that of the ground behind it
    const { scale, x, y } = this.view;
    const own = this.fringes?.colours;
    for (const { box, bitmap } of own?.frame === this.store.frame ? own.pieces : []) {
      pen.drawImage(bitmap, box[0] * scale + x, box[1] * scale + y, bitmap.width * scale, bitmap.height * scale);
    }
    pen.globalCompositeOperation = "source-over";
  }

  paintMatte() {
    const pen = this.pen(1);
    const { look } = this.store;
    if (look === "plate") return;
    const matte = this.mattes.current();
    pen.imageSmoothingEnabled = this.view.scale < 1;
    if (look === "cut-out") {
      this.paintCutOut(pen, matte);
      if (this.wiping) this.behind(pen, () => this.paintGround(pen, false));
      return;
    }
    if (look === "levels" || look === "edge") return this.paintLevels(pen, matte, look);
    if (look === "matte") {
      pen.fillStyle = "#000";
      pen.fillRect(...this.rect());
      if (matte) pen.drawImage(matte, ...this.rect());
    } else if (matte) {
      pen.drawImage(matte, ...this.rect());
      pen.globalCompositeOperation = "source-in";
      pen.globalAlpha = this.store.display.strength;
      pen.fillStyle = this.store.display.tint;
      pen.fillRect(0, 0, ...this.size);
      pen.globalCompositeOperation = "source-over";
      pen.globalAlpha = 1;
    }
  }

  paintOutlines() {
    const pen = this.pen(2);
    const { store, view } = this;
    if (!store.hidden) {
      const { inHand } = store;
      for (const entry of store.stack()) {
        const shape = store.shapes.get(entry.shape);
        if (inHand.has(shape.id) || !store.isLive(shape) || !store.marks.isShown(shape.id)) continue;
        signs.thread(pen, store.outline(shape), view, signs.COLOURS[shape.colour], { pale: store.isPale(shape) });
      }
      pen.globalAlpha = store.dragging.size ? WHILE_DRAGGED : 1;
      for (const id of inHand) if (store.marks.isShown(id)) this.paintChosen(pen, store.shapes.get(id));
      pen.globalAlpha = 1;
    }
    for (const { points, reaches, shift } of this.trial?.soft(store.frame) || []) signs.varyingBand(pen, reachLines(points, reaches, shift), view);
    for (const points of this.trial?.outlines(store.frame) || []) signs.openly(pen, points, view);
    if (!store.hidden) marks(pen, this.fits?.marks || [], view);
    for (const note of this.notes?.here || []) place(pen, note.x * view.scale + view.x, note.y * view.scale + view.y);
    if (this.extra) this.extra(pen, view);
    if (store.loupe && store.dragging.size && this.pointer?.last) this.paintLoupe(pen);
  }

  // What lies under the pointer, larger, beside it: the plate and the outline in hand.
  paintLoupe(pen) {
    const { store, view, pointer } = this;
    const { sx, sy } = pointer.last;
    const [cx, cy] = [sx + (sx > LOUPE.away * 2 ? -LOUPE.away : LOUPE.away), sy + (sy > LOUPE.away * 2 ? -LOUPE.away : LOUPE.away)];
    const close = { scale: view.scale * LOUPE.times, x: cx - (sx - view.x) * LOUPE.times, y: cy - (sy - view.y) * LOUPE.times };
    const picture = this.plates.best(store.frame, true);
    const [w, h] = store.shot.size;
    pen.save();
    pen.beginPath();
    pen.arc(cx, cy, LOUPE.radius, 0, 7);
    pen.fillStyle = "#777";
    pen.fill();
    pen.clip();
    pen.imageSmoothingEnabled = false;
    if (picture) pen.drawImage(picture, close.x, close.y, w * close.scale, h * close.scale);
    for (const id of store.dragging) signs.thread(pen, store.outline(store.shapes.get(id)), close, signs.COLOURS[store.shapes.get(id).colour]);
    pen.restore();
    pen.beginPath();
    pen.arc(cx, cy, LOUPE.radius, 0, 7);
    pen.strokeStyle = signs.CASING;
    pen.lineWidth = 4;
    pen.stroke();
  }

  paintChosen(pen, shape) {
    const { store, view } = this;
    const points = store.outline(shape);
    const soft = store.soft(shape);
    if (store.neighbours && !store.playing) {
      for (const frame of store.neighboursOf(shape)) signs.faint(pen, store.outline(shape, frame), view, signs.COLOURS[shape.colour]);
      const picked = [...store.pointsOf(shape.id)];
      if (picked.length === 1) signs.way(pen, store.wayOf(shape, picked[0]), view, signs.INK);
    }
    const reaches = store.reaches(shape);
    if (store.isFringe(shape)) {
      if (store.look === "plate") signs.field(pen, points, view); // elsewhere it would lie on what is judged
    } else if (reaches) signs.varyingBand(pen, reachLines(points, reaches, soft.shift), view);
    else if (soft.inner || soft.outer) signs.band(pen, points, view, soft);
    if (!store.isLive(shape)) pen.setLineDash([2, 5]);
    if (!store.pointsOnly) signs.thread(pen, points, view, signs.COLOURS[shape.colour], { chosen: true, pale: store.isPale(shape) });
    pen.setLineDash([]);
    if (store.step === "place" || store.step === "carry" || store.drawing || shape.locked) return;
    const picked = store.pointsOf(shape.id);
    if (store.step === "trace" || store.step === "check") for (const i of picked) signs.tangents(pen, points, i, view);
    for (let i = 0; i < shape.curves.length; i++) signs.point(pen, points, i, view, shape.curves[i], picked.has(i));
  }
}
