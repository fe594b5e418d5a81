// A shot as it stood: its journal as a line in time, a matte then beside now, and what is brought back.

import { call, get, newId, post } from "../desk/net/api.js";
import { stepping } from "./stepping.js";

const WAYS = [{ way: "then", key: "1" }, { way: "now", key: "2" }, { way: "difference", key: "3" }];

document.addEventListener("alpine:init", () => {
  Alpine.data("past", () => ({
    ...stepping,
    ways: WAYS, way: "difference", ready: false, may: false, edits: [], marks: [], more: false, chosen: null, mattes: [], matte: "", shapes: [], differ: [], frame: 0, first: 0,
    last: 0, src: "", amount: "", name: "", done: "", trouble: "", undo: null,

    async init() {
      const { shot, may } = this.$root.dataset;
      Object.assign(this, { shot, may: Boolean(may) });
      document.addEventListener("keydown", (e) => this.key(e));
      document.addEventListener("keyup", (e) => this.release(e));
      await this.load();
    },
    get path() {
      return `/shots/${this.shot}/past`;
    },
    async load(before) {
      const told = await this.attempt(() => get(this.path + (before ? `?before=${before}` : "")));
      if (!told) return;
      const [first, last] = told.frames;
      Object.assign(this, { first, last, more: told.more, marks: told.marks, ready: true, frame: this.frame || first });
      this.edits = (before ? this.edits : []).concat(told.edits).map((e) => ({ ...e, marks: told.marks.filter((m) => m.revision === e.revision) }));
    },
    earlier() {
      return this.load(this.edits.at(-1).revision);
    },

    async choose(revision) {
      this.chosen = revision;
      this.done = "";
      Object.assign(this, { shapes: [], differ: [], src: "", amount: "" });
      if (revision === null) return;
      const told = await this.attempt(() => get(`${this.path}/${revision}`));
      if (!told || this.chosen !== revision) return;
      this.shapes = told.shapes;
      this.mattes = told.mattes;
      if (!told.mattes.some((m) => m.id === this.matte)) this.matte = told.mattes[0]?.id || "";
      await this.pickMatte();
    },
    get comparison() {
      return `/shots/${this.shot}/mattes/${this.matte}/compare?one=after%20${this.chosen}&other=now`;
    },
    get matteName() {
      return this.mattes.find((m) => m.id === this.matte)?.name || "";
    },
    get differs() {
      if (!this.chosen) return "";
      const count = this.differ.length;
      return count ? `${count} of ${this.last - this.first + 1} frames differ${count === 1 ? "s" : ""}` : "no frame differs";
    },
    async pickMatte() {
      if (!this.matte) return;
      const told = await this.attempt(() => get(`${this.path}/${this.chosen}/mattes/${this.matte}/frames`));
      const wide = 100 / (this.last - this.first + 1);
      this.differ = (told?.frames || []).map((frame) => ({ frame, style: { left: `${(frame - this.first) * wide}%`, width: `${wide}%` } }));
      if (this.differ.length && !this.differ.some((d) => d.frame === this.frame)) this.frame = this.differ[this.differ.length >> 1].frame;
      await this.draw();
    },
    show(way) {
      this.way = way;
      return this.draw();
    },
    // The newest picture that was asked for; an older one that comes later is not shown.
    async draw(way = this.way) {
      if (!this.chosen || !this.matte) return;
      const asked = (this.asked = (this.asked || 0) + 1);
      const reply = await this.attempt(() => call("GET", `${this.path}/${this.chosen}/mattes/${this.matte}/frames/${this.frame}/${way}`));
      if (!reply || this.asked !== asked) return;
      const [more, less] = ["X-More", "X-Less"].map((name) => Number(reply.headers.get(name)));
      this.amount = more + less < 0.05 ? "the same on this frame" : `+${more.toFixed(0)} px, -${less.toFixed(0)} px`;
      if (this.src) URL.revokeObjectURL(this.src);
      this.src = URL.createObjectURL(await reply.blob());
    },
    moment(by) {
      const all = [null, ...this.edits.map((e) => e.revision)];
      const at = all.indexOf(this.chosen) + by;
      if (at >= 0 && at < all.length) this.choose(all[at]);
    },
    nextThatDiffers() {
      const next = this.differ.find((d) => d.frame > this.frame) || this.differ[0];
      if (next) this.go(next.frame);
    },
    key(event) {
      if (event.target.closest("input:not([type=range]), select") || event.ctrlKey || event.altKey || event.metaKey) return;
      const acts = {
        ArrowLeft: () => this.go(this.frame - 1), ArrowRight: () => this.go(this.frame + 1), ArrowUp: () => this.moment(-1), ArrowDown: () => this.moment(1), ".": () => this.nextThatDiffers(),
        d: () => event.repeat || this.draw("now"), D: () => event.repeat || this.draw("now"),
      };
      const way = WAYS.find((w) => w.key === event.key);
      if (!acts[event.key] && !way) return;
      event.preventDefault();
      if (way) this.show(way.way);
      else acts[event.key]();
    },
    release(event) {
      if (event.key === "d" || event.key === "D") this.draw();
    },

    async back(what) {
      const made = await this.attempt(() => post(`/shots/${this.shot}/edits`, { id: newId(), base: null, command: { do: "bring back", revision: this.chosen, ...what }, view: null }));
      if (!made) return;
      this.undo = made.undo;
      const chosen = this.chosen;
      await this.load();
      await this.choose(chosen);
      this.done = `Done: ${this.edits[0].says}.`;
    },
    async takeBack() {
      const made = await this.attempt(() => post(`/shots/${this.shot}/undo`, { id: newId() }));
      if (!made) return;
      this.undo = made.undo;
      const chosen = this.chosen;
      await this.load();
      await this.choose(chosen);
      this.done = "Taken back.";
    },
    async makeMark() {
      const made = await this.attempt(() => post(`/shots/${this.shot}/marks`, { name: this.name, revision: this.chosen }));
      if (!made) return;
      this.name = "";
      await this.load();
    },
    async unmark(id) {
      await this.attempt(() => call("DELETE", `/shots/${this.shot}/marks/${id}`));
      await this.load();
    },
  }));
});
