// The picture, the matte and the outlines: three canvases, one above the other. A drag redraws only the uppermost.

import * as V from "../geom/view.js";
import { modeOf } from "./modes/index.js";
import { OutlineLayer } from "./outline_layer.js";

export class Stage {
  /** @param {HTMLElement} element @param {import("../model/store.js").Store} store
   *  @param {import("../net/pictures.js").Plates} plates @param {import("../net/mattes.js").Mattes} mattes */
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
    this.aspect = store.document.shot.pixelAspect || 1; // pixels that are not square: all is drawn wider, in the units of square ones
    this.view = V.makeView(1, 0, 0);
    this.fitted = true;
    this.one = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true }); // for the figures of one pixel
    this.pending = new Set();
    /** @type {any} */
    this.pointer = null;
    this.outlines = new OutlineLayer(this);
    new ResizeObserver(() => this.resize()).observe(element);
    store.addEventListener("frame", () => this.draw("plate", "matte", "outline"));
    store.addEventListener("changed", () => this.draw("plate", "matte", "outline"));
    store.addEventListener("dragged", () => this.draw("outline"));
    plates.addEventListener("loaded", (e) => /** @type {CustomEvent} */ (e).detail === store.view.frame && this.draw("plate", "matte"));
    mattes.addEventListener("loaded", () => this.draw("matte"));
    document.fonts?.ready.then(() => this.draw("plate"));
    this.resize();
  }

  // From 100 % on, the picture is the full-size one with square pixels.
  get wantsFull() {
    return this.view.scale * (devicePixelRatio || 1) >= 1;
  }

  /** @returns {[number, number]} */
  get size() {
    return [this.element.clientWidth / this.aspect, this.element.clientHeight];
  }

  resize() {
    const ratio = devicePixelRatio || 1;
    for (const canvas of this.canvases) {
      canvas.width = Math.round(this.element.clientWidth * ratio);
      canvas.height = Math.round(this.element.clientHeight * ratio);
      canvas.getContext("2d").setTransform(ratio * this.aspect, 0, 0, ratio, 0, 0);
    }
    if (this.fitted) {
      this.view = V.fit(this.store.document.shot.size, this.size);
      this.store.say("view");
    }
    this.draw("plate", "matte", "outline");
  }

  setView(view, fitted = false) {
    this.view = view;
    this.fitted = fitted;
    this.store.say("view");
    this.draw("plate", "matte", "outline");
  }

  fit() {
    this.setView(V.fit(this.store.document.shot.size, this.size), true);
  }

  exact() {
    this.setView(V.exact(this.view, this.size));
  }

  draw(...layers) {
    if (!this.pending.size) requestAnimationFrame(() => this.paint());
    for (const layer of layers) this.pending.add(layer);
  }

  paint() {
    this.element.dataset.view = [this.view.scale, this.view.x, this.view.y, ...(this.aspect === 1 ? [] : [this.aspect])].join(" "); // for whoever drives the page from outside
    const layers = this.pending;
    this.pending = new Set();
    if (layers.has("plate")) this.paintPlate();
    if (layers.has("matte")) this.paintMatte();
    if (layers.has("outline")) this.outlines.paint(this.pen(2));
  }

  pen(i) {
    const pen = this.canvases[i].getContext("2d");
    pen.clearRect(0, 0, ...this.size);
    return pen;
  }

  /** @returns {[number, number, number, number]} */
  rect() {
    const [w, h] = this.store.document.shot.size;
    const { x, y, scale } = this.view;
    return [x, y, w * scale, h * scale];
  }

  // While on, the matte's layer begins at the pointer: what is left of it is the plate.
  wipe(on) {
    if (on === this.wiping) return;
    this.wiping = on;
    this.canvases[1].style.clipPath = on ? `inset(0 0 0 ${(this.pointer?.last?.sx ?? this.size[0] / 2) * this.aspect}px)` : "";
    this.draw("plate", "matte");
  }

  // Figures of the plate and the matte under the pointer, when the loupe is wanted.
  under(p) {
    if (this.wiping) this.canvases[1].style.clipPath = `inset(0 0 0 ${p.sx * this.aspect}px)`;
    if (!this.store.view.loupe || this.store.pending.dragging.size) return;
    this.store.view.showFigures(this.figuresAt(Math.floor(p.x), Math.floor(p.y)));
  }

  figuresAt(x, y) {
    const [w, h] = this.store.document.shot.size;
    if (x < 0 || y < 0 || x >= w || y >= h) return "";
    const picture = this.plates.full.get(this.store.view.frame);
    if (!picture) this.plates.best(this.store.view.frame, true);
    const pen = this.one;
    pen.clearRect(0, 0, 1, 1);
    if (picture) pen.drawImage(picture, x, y, 1, 1, 0, 0, 1, 1);
    const colour = picture ? [...pen.getImageData(0, 0, 1, 1).data].slice(0, 3).join(" ") : "on its way";
    const matte = modeOf(this.store.view.mode).needsMatte ? this.mattes.current() : null;
    pen.clearRect(0, 0, 1, 1);
    if (matte) pen.drawImage(matte, x, y, 1, 1, 0, 0, 1, 1);
    const alpha = matte ? `, matte ${(pen.getImageData(0, 0, 1, 1).data[3] / 255).toFixed(3)}` : "";
    return `${x}, ${y}: plate ${colour}${alpha}`;
  }

  paintPlate() {
    const pen = this.pen(0);
    const mode = modeOf(this.store.view.mode);
    if (mode.hidesPlate && !this.wiping) {
      this.canvases[0].style.filter = "none";
      return mode.paintGround(this, pen);
    }
    const { wantsFull } = this;
    const picture = this.plates.best(this.store.view.frame, wantsFull) || (this.store.view.playing ? this.lastPicture : null);
    this.lastPicture = picture;
    pen.imageSmoothingEnabled = !wantsFull;
    pen.imageSmoothingQuality = this.store.view.playing ? "low" : "medium";
    this.canvases[0].style.filter = this.showDisplay();
    if (picture) pen.drawImage(picture, ...this.rect());
    else {
      pen.fillStyle = "#6a6a6a";
      pen.fillRect(...this.rect());
      if (this.plates.missing.has(this.store.view.frame)) {
        pen.fillStyle = "#f3eee2";
        pen.font = "14px Next, sans-serif";
        pen.textAlign = "center";
        pen.fillText(`Frame ${this.store.view.frame} is missing from the stills`, this.size[0] / 2, this.size[1] / 2);
      }
    }
    this.hasFull = Boolean(wantsFull && this.plates.full.get(this.store.view.frame));
  }

  // Exposure, gamma and single channels change what is shown of the plate, nothing else.
  showDisplay() {
    const { exposure, gamma, channel } = this.store.view.display;
    if (!exposure && gamma === 1 && channel === "all") return "none";
    const gain = 2 ** exposure;
    const only = ["red", "green", "blue"].indexOf(channel);
    const rows = [0, 1, 2].map((row) => [0, 1, 2].map((column) => ((only < 0 ? row : only) === column ? gain : 0)).concat(0, 0).join(" "));
    document.getElementById("display-gain").setAttribute("values", [...rows, "0 0 0 1 0"].join(" "));
    for (const part of document.querySelectorAll("#display feFuncR, #display feFuncG, #display feFuncB")) part.setAttribute("exponent", String(1 / gamma));
    return "url(#display)";
  }

  behind(pen, paint) {
    const kept = new OffscreenCanvas(pen.canvas.width, pen.canvas.height);
    kept.getContext("2d").drawImage(pen.canvas, 0, 0);
    pen.clearRect(0, 0, ...this.size);
    paint();
    pen.drawImage(kept, 0, 0, ...this.size);
  }

  paintMatte() {
    const pen = this.pen(1);
    const mode = modeOf(this.store.view.mode);
    if (!mode.needsMatte) return;
    pen.imageSmoothingEnabled = this.view.scale < 1;
    mode.paint(this, pen, this.mattes.current());
  }
}
