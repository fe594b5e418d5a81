// Which view of the picture is up, on which ground, and what is shown of the plate.

import { MODES } from "../modes/index.js";
import { part } from "./component.js";

export const views = part(() => ({
  mode: "plate", modes: MODES.map(({ id, label, hint }) => ({ id, label, hint })), ground: "checker", ownGround: "#2e6b4f", tryouts: [], tryout: "", clips: [], clip: null,
  neighbours: "none", stride: 5, loupe: false, displayed: "", display: { exposure: 0, gamma: 1, channel: "all", tint: "#7d4f96", strength: 0.5 },

  connected(desk) {
    desk.clips.addEventListener("trouble", (e) => this.tell(e.detail));
  },
  sync() {
    const { document, view } = this.desk.store;
    const { exposure, gamma, channel } = view.display;
    Object.assign(this, { mode: view.mode, ground: view.ground, neighbours: view.neighbours || "none", stride: view.stride, loupe: view.loupe });
    this.tryouts = document.tryouts.map((t) => ({ id: t.id, name: t.name }));
    this.tryout = this.desk.inUse.tryout?.id || "";
    this.clips = document.clips.map((c) => ({ value: `clip ${c.id}`, name: c.name }));
    const at = view.ground === "clip" && document.clips.find((c) => c.id === view.clip.plate);
    this.clip = at ? { ...view.clip, first: at.first, last: at.last, value: `clip ${at.id}` } : null;
    this.display = { ...view.display };
    const graded = [exposure ? `${exposure > 0 ? "+" : ""}${exposure} stops` : "", gamma !== 1 ? `gamma ${gamma}` : ""];
    this.displayed = [...graded, channel === "all" ? "" : `${channel} only`].filter(Boolean).join(", ");
  },

  setMode(mode) {
    this.desk.look(mode);
  },
  setTryout(event) {
    this.desk.store.view.set("tryout", event.target.value);
    this.desk.store.say("changed");
  },
  setGround(event) {
    const { view } = this.desk.store;
    const { value } = event.target;
    const plate = value.startsWith("clip ") ? Number(value.slice(5)) : null;
    if (plate !== null) view.set("clip", { plate, begin: null, reverse: false }, true);
    view.set("ground", plate === null ? value : "clip");
    if (plate !== null) this.desk.store.say("changed"); // another clip on the same kind of ground
  },
  setOwnGround(event) {
    this.ownGround = event.target.value;
    this.desk.store.view.set("ground", event.target.value);
  },
  setClip(more) {
    const { view } = this.desk.store;
    view.set("clip", { ...view.clip, ...more });
  },
  setClipBegin(event) {
    const begin = event.target.value === "" ? null : Math.round(Number(event.target.value));
    this.setClip({ begin });
  },
  setClipReverse(event) {
    this.setClip({ reverse: event.target.checked });
  },
  setDisplay(name, event) {
    const { value } = event.target;
    const { view } = this.desk.store;
    view.set("display", { ...view.display, [name]: ["channel", "tint"].includes(name) ? value : Number(value) });
  },
  plainDisplay() {
    const { view } = this.desk.store;
    view.set("display", { ...view.display, exposure: 0, gamma: 1, channel: "all" });
  },
  secondWindow() {
    this.desk.secondWindow();
  },
  setNeighbours(event) {
    this.desk.store.view.set("neighbours", event.target.value === "none" ? false : event.target.value);
  },
  setStride(event) {
    this.desk.store.view.set("stride", Math.min(1000, Math.max(1, Math.round(Number(event.target.value)) || 1)));
  },
  setLoupe(event) {
    this.desk.store.view.set("loupe", event.target.checked);
  },
}));
