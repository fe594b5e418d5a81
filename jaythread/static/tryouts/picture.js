// The picture of a tryout on the screen: where it lies, what is taken hold of on it. A drag shows itself by pictures with the change laid on.

import { exact, fit, makeView, pan, toPlate, zoomAt } from "../desk/geom/view.js";
import { Swing } from "../desk/tools/arm.js";
import { cast, handleAt, handlesOf, paintHandles } from "./handles.js";

export class Picture {
  __v_skip = true; // Alpine hands it on as it is
  /** @param {HTMLElement} element @param {[number, number]} size px of the tryout @param {any} page */
  constructor(element, size, page) {
    this.element = element;
    this.plate = size;
    this.page = page;
    this.canvas = /** @type {HTMLCanvasElement} */ (element.querySelector("canvas"));
    this.view = makeView(1, 0, 0);
    this.fitted = true;
    this.drag = /** @type {any} */ (null);
    new ResizeObserver(() => this.resize()).observe(element);
    this.resize();
    element.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    element.addEventListener("pointerdown", (e) => this.down(e));
    element.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) element.addEventListener(end, (e) => this.up(/** @type {PointerEvent} */ (e)));
  }

  get ratio() {
    return devicePixelRatio || 1;
  }
  // How wide a picture is wanted: as it lies on the screen, or (null) whole.
  get wide() {
    const wide = Math.ceil(this.plate[0] * this.view.scale * this.ratio);
    return wide >= this.plate[0] ? null : Math.max(16, wide);
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.element;
    this.canvas.width = Math.round(w * this.ratio);
    this.canvas.height = Math.round(h * this.ratio);
    if (this.fitted) this.view = fit(this.plate, [w, h]);
    this.draw();
  }
  lay(view, fitted = false) {
    const was = this.wide;
    Object.assign(this, { view, fitted });
    this.draw();
    if (this.wide !== was) this.page.film?.show(this.page.frame, this.wide === null ? {} : null);
  }
  fit() {
    this.lay(fit(this.plate, [this.element.clientWidth, this.element.clientHeight]), true);
  }
  exact() {
    this.lay(exact(this.view, [this.element.clientWidth, this.element.clientHeight]));
  }
  wheel(e) {
    e.preventDefault();
    this.lay(zoomAt(this.view, Math.exp(-e.deltaY / 500), e.offsetX, e.offsetY));
  }

  draw() {
    const pen = this.canvas.getContext("2d");
    const { page, view } = this;
    pen.setTransform(this.ratio, 0, 0, this.ratio, 0, 0);
    pen.clearRect(0, 0, this.canvas.width, this.canvas.height);
    this.element.dataset.view = [view.scale, view.x, view.y].join(" "); // for whoever drives the page from outside
    const rect = /** @type {const} */ ([view.x, view.y, this.plate[0] * view.scale, this.plate[1] * view.scale]);
    const picture = page.film?.shown;
    pen.imageSmoothingEnabled = view.scale < 1;
    if (picture) pen.drawImage(picture, ...rect);
    else {
      pen.fillStyle = "#6a6a6a";
      pen.fillRect(...rect);
    }
    this.wipe(pen, rect);
    if (page.line && page.mayTrace && !page.playing && !page.holding) paintHandles(pen, view, page.line, this.handles, this.pivot);
  }

  // While held: the plate left of the pointer.
  wipe(pen, rect) {
    const plate = this.page.wiping;
    if (!plate?.complete || !plate.naturalWidth) return;
    pen.save();
    pen.beginPath();
    pen.rect(0, 0, this.pointer?.sx ?? this.element.clientWidth / 2, this.element.clientHeight);
    pen.clip();
    pen.drawImage(plate, ...rect);
    pen.restore();
  }

  get handles() {
    const lies = this.page.at("lies");
    const line = this.drag?.what === "shadow" ? this.drag.line : this.page.line;
    return lies ? handlesOf(line, lies, this.page.pulls) : [];
  }
  // Where the pivot lies: while it is dragged, under the pointer.
  get pivot() {
    const at = this.page.pivot;
    const moved = this.drag?.moved;
    return at && moved && this.drag.what === "move" ? [at[0] + moved[0], at[1] + moved[1]] : at;
  }
  at(e) {
    const box = this.element.getBoundingClientRect();
    const [sx, sy] = [e.clientX - box.left, e.clientY - box.top];
    const [x, y] = toPlate(this.view, sx, sy);
    return { sx, sy, x, y };
  }

  down(e) {
    if (e.button > 1) return;
    const p = this.at(e);
    this.element.setPointerCapture?.(e.pointerId);
    if (e.button === 1 || !this.page.line || !this.page.mayTrace) this.drag = { what: "pan", from: p };
    else if (e.altKey) this.drag = { what: "pivot", from: p, moved: [0, 0] };
    else {
      const what = handleAt(this.handles, this.page.pivot, this.view, p);
      this.drag = { what, from: p, moved: [0, 0], line: JSON.parse(JSON.stringify(this.page.line)), swing: this.page.pivot && new Swing(what, this.page.pivot, p) };
    }
  }

  move(e) {
    const { drag } = this;
    const p = this.at(e);
    this.pointer = p;
    if (this.page.wiping) this.draw();
    if (!drag) return;
    if (drag.what === "pan") {
      this.lay(pan(this.view, p.sx - drag.from.sx, p.sy - drag.from.sy));
      drag.from = p;
      return;
    }
    drag.moved = [p.x - drag.from.x, p.y - drag.from.y];
    drag.swing?.move(p, e.shiftKey);
    const command = this.command();
    if (command) this.page.film.show(this.page.frame, { draft: { tryout: this.page.id, ...command } });
    this.draw();
  }

  up(e) {
    const { drag } = this;
    if (!drag) return;
    const command = drag.what === "pan" ? null : drag.what === "pivot" ? this.pivotAt(this.at(e)) : Math.hypot(...drag.moved) * this.view.scale > 1 ? this.command() : null;
    this.drag = null;
    if (command) this.page.send(command);
    else this.draw();
  }

  pivotAt(p) {
    const lies = this.page.at("lies");
    const own = this.page.line.place.pivot || [this.plate[0] / 2, this.plate[1] / 2];
    const line = { ...this.page.line, place: { ...this.page.line.place, pivot: [own[0] + p.x - lies[0], own[1] + p.y - lies[1]] } };
    return { do: "tryout line", line };
  }

  // What the drag comes to, as a command.
  command() {
    const { drag, page } = this;
    const [dx, dy] = drag.moved;
    const [kind, which] = drag.what.split(" ");
    if (kind === "hinge") drag.line.place.swing.hinge = page.line.place.swing.hinge.map((at, k) => (k === Number(which) ? [at[0] + dx, at[1] + dy] : at));
    if (kind === "end") drag.line.shows[which].at = [page.line.shows[which].at[0] + dx, page.line.shows[which].at[1] + dy];
    if (kind === "move" && page.kind === "light") for (const end of ["one", "other"]) drag.line.shows[end].at = [page.line.shows[end].at[0] + dx, page.line.shows[end].at[1] + dy];
    if (kind === "shadow") drag.line.done.shadow = cast(page.line.done.shadow, page.at("lies"), [drag.from.x + dx, drag.from.y + dy]);
    if (kind === "hinge" || kind === "end" || kind === "shadow" || page.kind === "light") return { do: "tryout line", line: drag.line };
    const key = { do: "tryout key", line: page.chosen, frame: page.frame };
    if (kind === "corner") return { ...key, channel: "corners", values: page.at("corners").map((pair, k) => (k === Number(which) ? [pair[0] + dx, pair[1] + dy] : pair)) };
    const [[x, y], [turn, skew], [size, tall]] = page.at("place");
    if (kind === "turn") return { ...key, channel: "place", values: [[x, y], [turn + drag.swing.turn, skew], [size, tall]] };
    if (kind === "size") return { ...key, channel: "place", values: [[x, y], [turn, skew], [size + Math.log(drag.swing.size), tall]] };
    return { ...key, channel: "place", values: [[x + dx, y + dy], [turn, skew], [size, tall]] };
  }
}
