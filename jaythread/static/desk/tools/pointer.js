// From pointer events to tools. The wheel zooms at the pointer; the middle button or a held space bar pans, whatever tool is on.

import * as V from "../geom/view.js";

const WHEEL = 0.0016; // zoom per wheel px, as a power of e

export class Pointer {
  constructor(stage, toolNow) {
    this.stage = stage;
    this.toolNow = toolNow;
    this.active = null; // the tool that holds the pointer
    this.panning = null;
    this.space = false;
    /** @type {() => void} */
    this.pressed = () => {}; // told by the composition root
    this.last = null;
    const el = stage.element;
    el.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    el.addEventListener("pointerdown", (e) => this.down(e));
    el.addEventListener("pointermove", (e) => this.move(e));
    el.addEventListener("pointerup", (e) => this.up(e));
    el.addEventListener("pointercancel", (e) => this.up(e, true));
    el.addEventListener("pointerleave", () => this.leave());
    el.addEventListener("dblclick", (e) => this.toolNow().twice?.(e, this.place(e)));
    el.addEventListener("contextmenu", (e) => e.preventDefault());
  }

  place(e) {
    const box = this.stage.element.getBoundingClientRect();
    const sx = (e.clientX - box.left) / this.stage.aspect;
    const sy = e.clientY - box.top;
    const [x, y] = V.toPlate(this.stage.view, sx, sy);
    return { x, y, sx, sy, scale: this.stage.view.scale };
  }

  wheel(e) {
    e.preventDefault();
    const p = this.place(e);
    const px = e.deltaMode === 1 ? e.deltaY * 24 : e.deltaY;
    if (e.shiftKey || Math.abs(e.deltaX) > 2 * Math.abs(e.deltaY)) {
      // two fingers sideways on a touchpad, or Shift and the wheel: pan
      const { view } = this.stage;
      this.stage.setView(V.makeView(view.scale, view.x - (e.deltaX || px), view.y - (e.deltaX ? e.deltaY : 0)));
      this.active?.move?.(e, this.place(e));
      return;
    }
    this.stage.setView(V.zoomAt(this.stage.view, Math.exp(-px * (e.ctrlKey ? 6 : 1) * WHEEL), p.sx, p.sy));
    this.active?.move?.(e, this.place(e));
  }

  down(e) {
    if (e.target.closest("button, input, select, a, summary, .leaf")) return;
    /** @type {HTMLElement | null} */ (document.activeElement)?.blur?.();
    this.pressed();
    const p = this.place(e);
    this.stage.element.setPointerCapture(e.pointerId);
    if (e.button === 1 || (e.button === 0 && this.space)) {
      this.panning = p;
      this.stage.element.style.cursor = "grabbing";
    } else if (e.button === 0) {
      this.active = this.toolNow();
      this.active.down(e, p);
    }
    e.preventDefault();
  }

  move(e) {
    const p = this.place(e);
    this.last = p;
    this.stage.under(p);
    if (this.panning) {
      this.stage.setView(V.pan(this.stage.view, p.sx - this.panning.sx, p.sy - this.panning.sy));
      this.panning = p;
    } else if (this.active) this.active.move(e, p);
    else this.stage.element.style.cursor = this.space ? "grab" : this.toolNow().hover?.(e, p) || "default";
  }

  up(e, lost = false) {
    if (this.panning) this.panning = null;
    else if (this.active) {
      const tool = this.active;
      this.active = null;
      if (lost) tool.cancel?.();
      else tool.up(e, this.place(e));
    }
    this.stage.element.style.cursor = "default";
  }

  leave() {
    if (!this.active && !this.panning) this.toolNow().away?.();
  }

  hold(space) {
    this.space = space;
    if (!this.panning) this.stage.element.style.cursor = space ? "grab" : "default";
  }
}
