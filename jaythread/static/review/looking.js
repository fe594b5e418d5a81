// Looking at a matte before it goes on: large, over grounds, played; through findings and notes; a note drawn and written; approved or returned.

import { get, post } from "../desk/net/api.js";
import { focusWhenShown } from "../focus.js";
import { image, show } from "../over_grounds.js";
import { stepping } from "./stepping.js";

const WAYS = [{ way: "matte", key: "1" }, { way: "tint", key: "2" }, { way: "cut-out", key: "3" }, { way: "plate", key: "4" }];
const GROUNDS = ["#808080", "#000", "#fff", "#7d4f96", "checker", "plate"];
const KEPT = 160; // frames of pictures
const AHEAD = 6;

document.addEventListener("alpine:init", () => {
  Alpine.data("looking", () => ({
    ...stepping,
    ways: WAYS, way: "cut-out", ground: "#808080", ready: false, data: null, first: 0, last: 0, frame: 0, playing: false, state: "", may: [], items: [], at: -1, strokes: [], text: "", words: "",
    returning: false, rest: [], said: "", trouble: "", gone: "",

    async init() {
      const { shot, matte } = this.$root.dataset;
      Object.assign(this, { shot, matte, path: `/shots/${shot}/mattes/${matte}` });
      this.kept = new Map();
      this.path2 = []; // the stroke being drawn
      document.addEventListener("keydown", (e) => this.key(e));
      await this.load();
    },
    async load() {
      const data = await this.attempt(() => get(`${this.path}/looking`));
      if (!data) return;
      const [first, last] = data.frames;
      Object.assign(this, { data, first, last, state: data.state, may: data.may, rest: data.rest, ready: true, frame: this.frame || first });
      const when = (one) => ((one.last ?? one.frame ?? one.first) === (one.frame ?? one.first) ? `${one.frame ?? one.first}` : `${one.frame ?? one.first}-${one.last}`);
      const found = data.findings.map((f, k) => ({ id: `f${k}`, frame: Math.max(first, f.first), when: when(f), says: f.says, more: f.state === "meant so" ? "meant so" : "", box: f.box, strokes: [], until: f.last }));
      const noted = data.notes.map((n) => ({ id: `n${n.id}`, frame: n.frame, when: when(n), says: n.text, more: n.state === "not done" ? `${n.by}; not done` : n.by, box: null, place: n.x === null || n.strokes.length ? null : [n.x, n.y], strokes: n.strokes, until: n.last ?? n.frame, note: true }));
      this.items = [...found, ...noted].sort((a, b) => a.frame - b.frame);
      const canvas = this.$refs.shown;
      canvas.width = Math.max(960, Math.min(1280, data.size[0]));
      canvas.height = Math.round((canvas.width * data.size[1]) / data.size[0]);
      await this.draw();
    },

    pictures(frame) {
      if (!this.kept.has(frame)) {
        const { plate, pictures, revision } = this.data;
        this.kept.set(frame, Promise.all([image(`${pictures}${frame}?revision=${revision}`), plate ? image(plate.replace("/0.jpg", `/${frame}.jpg`)) : null]));
      }
      while (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value);
      return this.kept.get(frame);
    },
    async draw() {
      const { frame } = this;
      const [matte, plate] = await this.pictures(frame);
      if (frame !== this.frame) return;
      const pen = this.$refs.shown.getContext("2d");
      show(pen, this.way, this.ground, matte, plate);
      this.mark(pen);
      this.$root.dataset.drawn = `${frame} ${this.way} ${this.ground}`;
    },
    // What was found and noted on this frame, and what is being drawn.
    mark(pen) {
      const scale = pen.canvas.width / this.data.size[0];
      const line = (path, colour) => {
        for (const [style, wide] of [["#fff", 5], [colour, 2.2]]) {
          Object.assign(pen, { strokeStyle: style, lineWidth: wide, lineJoin: "round", lineCap: "round" });
          pen.beginPath();
          path.forEach(([x, y], k) => (k ? pen.lineTo(x * scale, y * scale) : pen.moveTo(x * scale, y * scale)));
          pen.stroke();
        }
      };
      const round = ([x, y]) => Array.from({ length: 25 }, (_, k) => [x + (14 / scale) * Math.cos((k * Math.PI) / 12), y + (14 / scale) * Math.sin((k * Math.PI) / 12)]);
      const here = this.playing ? [] : this.items.filter((i) => i.frame <= this.frame && this.frame <= i.until);
      for (const item of here) {
        for (const stroke of item.strokes) line(stroke, "#b8741a");
        if (item.place) line(round(item.place), "#b8741a");
        if (item.box && item.id === this.items[this.at]?.id) {
          const [x0, y0, x1, y1] = item.box;
          line([[x0, y0], [x1, y0], [x1, y1], [x0, y1], [x0, y0]], "#1f6f9c");
        }
      }
      for (const stroke of [...this.strokes, this.path2]) if (stroke.length > 1) line(stroke, "#b8741a");
    },
    show(way) {
      this.way = way;
      return this.draw();
    },
    nextGround() {
      this.ground = GROUNDS[(GROUNDS.indexOf(this.ground) + 1) % GROUNDS.length];
      this.way = "cut-out";
      return this.draw();
    },
    toggle() {
      this.playing = !this.playing;
      const begun = performance.now(), from = this.frame, count = this.last - this.first + 1;
      const step = async () => {
        if (!this.playing) return this.draw();
        const to = this.first + ((from - this.first + Math.floor(((performance.now() - begun) / 1000) * this.data.rate)) % count);
        if (to !== this.frame) {
          this.frame = to;
          for (let k = 1; k <= AHEAD; k++) this.pictures(this.first + ((to - this.first + k) % count));
          await this.draw();
        }
        return requestAnimationFrame(step);
      };
      if (this.playing) step();
    },
    // Through what was found and noted.
    pick(at) {
      if (!this.items.length) return;
      this.at = (at + this.items.length) % this.items.length;
      this.playing = false;
      this.go(this.items[this.at].frame);
      this.$nextTick(() => this.$root.querySelector(".items li.chosen")?.scrollIntoView({ block: "nearest" }));
    },
    get listed() {
      return this.items.map((item, at) => ({ ...item, at, chosen: at === this.at }));
    },

    // The first gesture draws, the second writes.
    place(event) {
      const box = this.$refs.shown.getBoundingClientRect();
      return [((event.clientX - box.left) / box.width) * this.data.size[0], ((event.clientY - box.top) / box.height) * this.data.size[1]].map((v) => Math.round(v * 10) / 10);
    },
    down(event) {
      if (!this.ready || event.button) return;
      this.playing = false;
      event.target.setPointerCapture(event.pointerId);
      this.path2 = [this.place(event)];
    },
    move(event) {
      if (!this.path2.length) return;
      this.path2.push(this.place(event));
      this.draw();
    },
    up() {
      if (this.path2.length > 2) this.strokes.push(this.path2);
      this.path2 = [];
      this.draw();
      if (this.strokes.length) focusWhenShown(this.$refs.text);
    },
    async note() {
      const text = this.text.trim();
      if (!text) return;
      const made = await this.attempt(() => post(`/shots/${this.shot}/notes`, { text, frame: this.frame, last: null, strokes: this.strokes, to: "" }));
      if (!made) return; // what was written stays
      Object.assign(this, { text: "", strokes: [], said: "Noted." });
      this.$refs.text.blur();
      await this.load();
    },
    drop() {
      if (this.strokes.length) this.strokes.pop();
      else this.$refs.text.blur();
      this.draw();
    },

    get mayApprove() {
      return this.may.includes("approve");
    },
    get mayReturn() {
      return this.may.includes("return");
    },
    get waits() {
      return this.rest.length ? `${this.rest.length} more wait${this.rest.length === 1 ? "s" : ""}` : "nothing else waits";
    },
    approve() {
      return this.take("approve", "");
    },
    askWhy() {
      this.returning = true;
      const mine = this.items.filter((i) => i.note).length;
      if (!this.words && mine) this.words = mine === 1 ? "See the note." : `See the ${mine} notes.`;
      focusWhenShown(this.$refs.words);
    },
    sendBack() {
      return this.take("return", this.words);
    },
    async take(step, says) {
      const went = await this.attempt(() => post(`${this.path}/steps`, { step, says }));
      if (!went) return;
      Object.assign(this, { returning: false, words: "", state: went.state, gone: went.next });
      if (went.next) location.assign(went.next);
      else await this.load();
    },
    next() {
      if (this.rest.length) location.assign(this.rest[0].address);
    },

    key(event) {
      if (event.target.closest("input:not([type=range]), textarea, select") || event.ctrlKey || event.altKey || event.metaKey) {
        if (event.key === "Escape") this.drop();
        return;
      }
      const acts = {
        ArrowLeft: () => this.go(this.frame - 1), ArrowRight: () => this.go(this.frame + 1), Home: () => this.go(this.first), End: () => this.go(this.last), " ": () => this.toggle(),
        ".": () => this.pick(this.at + 1), ",": () => this.pick(this.at - 1), g: () => this.nextGround(), G: () => this.nextGround(), Escape: () => this.drop(),
        n: () => this.$refs.text.focus(), N: () => this.$refs.text.focus(), PageDown: () => this.next(),
        "+": () => this.mayApprove && this.approve(), "-": () => this.mayReturn && this.askWhy(),
      };
      const way = WAYS.find((w) => w.key === event.key);
      if (!way && !acts[event.key]) return;
      event.preventDefault();
      if (way) this.show(way.way);
      else acts[event.key]();
    },
  }));
});
