// How alpha falls across the reach, in a small plot: ready-made curves, or an own one with two handles.

import { edit } from "../../net/commands.js";
import { part } from "./component.js";

// How high (0..1) the two handles of each curve stand, a third and two thirds of the way from the outside to the inside.
const READY = { straight: [1 / 3, 2 / 3], smooth: [0, 1], early: [2 / 3, 1], late: [0, 1 / 3], bell: [0, 1] };
// How high the bell stands at each sixteenth of the reach: two handles cannot say it. An own curve that is begun from it is as steep as can be.
const BELL = [0, 0.003, 0.011, 0.025, 0.06, 0.121, 0.218, 0.35, 0.5, 0.65, 0.782, 0.879, 0.94, 0.975, 0.989, 0.997, 1];
const PLOT = { left: 4, right: 112, low: 58, high: 6, wide: 116 };

const handlesOf = (profile) => [...(READY[profile] || profile.split(" ").slice(1).map((v) => Number(v) / 100))];
const named = (handles) => `own ${handles.map((v) => Math.round(v * 100)).join(" ")}`;

export const profile = part(() => ({
  profiles: [...Object.keys(READY), "own"], profile: "straight", plot: "", bending: false, handles: [{ x: 0, y: 0, high: 0 }, { x: 0, y: 0, high: 0 }],

  sync() {
    const { shape } = this.desk.store.selection;
    if (!shape) return;
    this.profile = shape.profile.split(" ")[0];
    if (!this.bending) this.plotOf(handlesOf(shape.profile));
  },

  plotOf(heights) {
    const { left, right, low, high } = PLOT;
    this.handles = heights.map((v, i) => ({ x: left + ((i + 1) * (right - left)) / 3, y: low + v * (high - low), high: Math.round(v * 100) }));
    const [a, b] = this.handles;
    const bell = BELL.map((v, i) => `${left + (i * (right - left)) / (BELL.length - 1)} ${low + v * (high - low)}`);
    if (this.profile === "bell") this.plot = `M${bell.join(" L")}`;
    else this.plot = `M${left} ${low} C${a.x} ${a.y} ${b.x} ${b.y} ${right} ${high}`;
  },

  setProfile(event) {
    const wanted = event.target.value;
    const profile = wanted === "own" ? named(handlesOf(this.desk.store.selection.shape.profile)) : wanted;
    this.send(edit.appearance({ shape: this.shape.id, profile }));
  },

  // A handle is dragged up or down: shown at once, kept when the hand lets go.
  bend(event) {
    if (this.profile !== "own" || !this.mayTrace || event.button) return;
    const { store } = this.desk;
    const { shape } = store.selection;
    const box = event.currentTarget.getBoundingClientRect();
    const scale = box.width / PLOT.wide;
    const which = (event.clientX - box.left) / scale < PLOT.wide / 2 ? 0 : 1;
    const now = handlesOf(shape.profile);
    this.bending = true;
    const move = (e) => {
      now[which] = Math.min(1, Math.max(0, (PLOT.low - (e.clientY - box.top) / scale) / (PLOT.low - PLOT.high)));
      this.plotOf(now);
      const outline = store.pending.outline(shape);
      this.desk.draft(edit.appearance({ shape: shape.id, profile: named(now) }), [{ shape, before: outline, after: outline }]);
    };
    const up = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", up);
      this.bending = false;
      if (named(now) !== shape.profile) this.send(edit.appearance({ shape: shape.id, profile: named(now) }));
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", up);
    move(event);
  },

  setHandle(which, event) {
    const now = handlesOf(this.desk.store.selection.shape.profile);
    now[which] = Math.min(100, Math.max(0, Number(event.target.value) || 0)) / 100;
    this.send(edit.appearance({ shape: this.shape.id, profile: named(now) }));
  },
}));
