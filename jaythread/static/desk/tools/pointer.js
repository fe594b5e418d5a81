// From pointer events to tools. The wheel zooms at the pointer; the middle button or a held space bar pans, whatever tool is on.

import * as V from "../geom/view.js";

const WHEEL = 0.0016; // zoom per wheel px, as a power of e
const ERASER = 5; // the button that a pen turned round presses

export class Pointer {
  constructor(stage, toolNow) {
    this.stage = stage;
    this.toolNow = toolNow;
    this.active = null; // the tool that holds the pointer
    this.panning = null;
    this.space = false;
    this.fingers = new Map(); // on the picture: by pointer, where each is
    /** @type {(p: any) => void} */
    this.erased = () => {}; // told by the composition root: the eraser end of a pen was put down
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
    if (this.pinches(e, p)) return;
    if (e.pointerType === "pen" && e.button === ERASER && !this.toolNow()?.twoEnds) this.erased(p);
    else if (e.button === 1 || (e.button === 0 && this.space)) {
      this.panning = p;
      this.stage.element.style.cursor = "grabbing";
    } else if (e.button === 0 || e.button === ERASER) {
      this.active = this.toolNow();
      this.active.down(e, p);
    }
    e.preventDefault();
  }

  // Two fingers: the picture goes with them, whatever the first one had begun.
  pinches(e, p) {
    if (e.pointerType !== "touch") return false;
    this.fingers.set(e.pointerId, p);
    if (this.fingers.size < 2) return false;
    this.active?.cancel?.();
    this.active = this.panning = null;
    e.preventDefault();
    return true;
  }

  pinch(e, p) {
    const [a, b] = this.fingers.values();
    this.fingers.set(e.pointerId, p);
    const [c, d] = this.fingers.values();
    const middle = (one, other) => [(one.sx + other.sx) / 2, (one.sy + other.sy) / 2];
    const [was, now] = [middle(a, b), middle(c, d)];
    const apart = (one, other) => Math.max(1, Math.hypot(one.sx - other.sx, one.sy - other.sy));
    const moved = V.pan(this.stage.view, now[0] - was[0], now[1] - was[1]);
    this.stage.setView(V.zoomAt(moved, apart(c, d) / apart(a, b), now[0], now[1]));
  }

  move(e) {
    const p = this.place(e);
    if (this.fingers.size > 1 && this.fingers.has(e.pointerId)) return this.pinch(e, p);
    this.last = p;
    this.stage.under(p);
    if (this.panning) {
      this.stage.setView(V.pan(this.stage.view, p.sx - this.panning.sx, p.sy - this.panning.sy));
      this.panning = p;
    } else if (this.active) this.active.move(e, p);
    else this.stage.element.style.cursor = this.space ? "grab" : this.toolNow().hover?.(e, p) || "default";
  }

  up(e, lost = false) {
    if (this.fingers.delete(e.pointerId) && this.fingers.size) return;
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
