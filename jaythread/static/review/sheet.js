// The check sheet of a matte: its frames as small pictures, curves over time, findings with what can be done about them.

import { get, newId, post } from "../desk/net/api.js";

const WAYS = [{ way: "matte", key: "1" }, { way: "tint", key: "2" }, { way: "cut-out", key: "3" }, { way: "plate", key: "4" }, { way: "difference", key: "5" }];
const CURVES = [
  { name: "area", says: "area, px" }, { name: "x", says: "centre, across, px" }, { name: "y", says: "centre, down, px" },
  { name: "speed", says: "speed of the centre, px a frame" }, { name: "outline", says: "length of the outline, px" },
  { name: "edge", says: "width of the edge, px" }, { name: "fit", says: "off the picture's edge, px" }, { name: "pieces", says: "pieces" }, { name: "alone", says: "off from its neighbours, px" },
];
const LOOK_EVERY = 600;

// Numbers over frames as a path in a box of 1000 by 100; unknown ones leave a gap.
function pathOf(values, beside = []) {
  const known = values.concat(beside).filter((v) => v !== null && v !== undefined);
  if (!known.length) return { d: "", low: 0, high: 0 };
  const low = Math.min(...known), high = Math.max(...known);
  return { d: line(values, low, high), beside: line(beside, low, high), low, high };
}

function line(values, low, high) {
  const step = 1000 / Math.max(1, values.length - 1);
  let d = "", pen = "M";
  values.forEach((v, k) => {
    if (v === null || v === undefined) pen = "M";
    else {
      d += `${pen}${(k * step).toFixed(1)} ${(92 - 84 * ((v - low) / (high - low || 1))).toFixed(1)}`;
      pen = "L";
    }
  });
  return d;
}

document.addEventListener("alpine:init", () => {
  Alpine.data("sheet", () => ({
    ways: WAYS, curves: CURVES, way: "matte", size: 152, curve: "area", ready: false, may: false, busy: false, complete: false, percent: 0, says: "", trouble: "",
    tiles: [], findings: [], chosen: 0, reason: "", answered: false, stretch: null, frame: 0, path: "", curveSays: "", at: 0, bands: [], fresh: 0, undo: null, sides: [], side: "", path2: "", curves2: null,

    async init() {
      const { shot, matte, may, rate } = this.$root.dataset;
      Object.assign(this, { shot, matte, may: Boolean(may), rate: Number(rate) || 24, size: Number(localStorage.getItem("sheet size")) || 152 });
      document.addEventListener("keydown", (e) => this.key(e));
      await this.load();
      this.sides = (await get(`/shots/${this.shot}/mattes/${this.matte}/sides`)).sides.filter((s) => s.id !== "now");
      if (this.may && !this.complete) await this.measure();
      this.follow();
    },
    async load() {
      try {
        const data = await get(`/shots/${this.shot}/mattes/${this.matte}/check`);
        const [first, last] = data.frames;
        Object.assign(this, { first, last, complete: data.complete, data, fresh: data.fresh.length, ready: true });
        this.frame = Math.min(last, Math.max(first, this.frame || first));
        this.findings = data.findings.map((f) => ({
          ...f, when: f.first === f.last ? `${f.first}` : `${f.first}-${f.last}`, desk: this.deskAt(Math.max(f.first, first)),
          stands: f.state === "meant so" ? ` meant so, says ${f.by}: ${f.reason}` : " put right",
        }));
        if (!this.findings.some((f) => f.id === this.chosen)) this.chosen = 0;
        this.sync();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    deskAt(frame) {
      return `/shots/${this.shot}/desk?frame=${frame}&matte=${this.matte}&step=check`;
    },

    get wide() {
      return this.stretch ? Math.max(Number(this.size), 260) : this.size;
    },
    get open_() {
      return this.findings.filter((f) => f.state === "open");
    },
    get listed() {
      return this.answered ? this.findings : this.findings.filter((f) => f.state === "open" || f.id === this.chosen);
    },
    get hidden() {
      return this.findings.length - this.open_.length;
    },
    toggleAnswered() {
      this.answered = !this.answered;
    },

    // What hangs on the frames: tiles, curve, bands.
    sync() {
      const fresh = new Set(this.data.fresh), found = new Set();
      for (const f of this.open_) for (let k = f.first; k <= f.last; k++) found.add(k);
      const [a, b] = this.stretch || [this.first, this.last];
      this.tiles = [];
      for (let frame = a; frame <= b; frame++) {
        const there = this.way === "difference" ? Boolean(this.side) : this.data.curves.area[frame - this.first] !== null || this.way === "plate";
        this.tiles.push({
          frame, there, desk: this.deskAt(frame), src: there ? this.srcOf(frame, fresh.has(frame)) : "",
          classes: { found: found.has(frame), stale: there && !fresh.has(frame), here: frame === this.frame },
          label: `frame ${frame}${found.has(frame) ? ", something was found there" : ""}`,
        });
      }
      this.says = this.busy ? this.says : this.complete ? "" : `${fresh.size} of ${this.last - this.first + 1} frames are looked at as they are now`;
      this.draw();
    },
    srcOf(frame, fresh) {
      if (this.way !== "difference") return `/shots/${this.shot}/mattes/${this.matte}/check/${frame}/${this.way}?key=${this.data.revision}.${fresh}`;
      return `/api/shots/${this.shot}/mattes/${this.matte}/difference?one=${encodeURIComponent(this.side)}&other=now&frame=${frame}&wide=320&key=${this.data.revision}`;
    },
    // Another state of the matte beside this one: its curves over these, and the difference as a way of the sheet.
    async pickSide() {
      const mine = (this.asking = (this.asking || 0) + 1);
      Object.assign(this, { curves2: null, path2: "" });
      if (!this.side && this.way === "difference") this.way = "matte";
      this.sync();
      const found = {};
      for (let begin = this.first; this.side && begin !== null;) {
        const told = await get(`/shots/${this.shot}/mattes/${this.matte}/curves?side=${encodeURIComponent(this.side)}&begin=${begin}`);
        if (this.asking !== mine) return;
        for (const row of told.frames) for (const [name, value] of Object.entries(row)) (found[name] ||= [])[row.frame - this.first] = value;
        found.speed = (found.x || []).map((x, k) => (k && x !== null && found.x[k - 1] !== null ? Math.hypot(x - found.x[k - 1], found.y[k] - found.y[k - 1]) : null));
        this.curves2 = found;
        this.draw();
        begin = told.next;
      }
    },
    draw() {
      const values = this.data.curves[this.curve];
      const { d, beside, low, high } = pathOf(values, this.curves2?.[this.curve] || []);
      this.path2 = beside || "";
      const step = 1000 / Math.max(1, values.length - 1), here = values[this.frame - this.first];
      const figure = (v) => (Math.abs(v) >= 100 ? v.toFixed(0) : v.toFixed(2));
      this.path = d;
      this.at = (this.frame - this.first) * step;
      this.curveSays = d ? `${figure(low)} to ${figure(high)}${here === null ? "" : `, on ${this.frame}: ${figure(here)}`}` : "nothing is known yet";
      this.bands = this.open_.map((f) => ({
        id: f.id, kind: f.id === this.chosen ? "chosen" : "",
        style: { left: `${(f.first - this.first - 0.5) * step / 10}%`, width: `${(f.last - f.first + 1) * step / 10}%` },
      }));
    },
    clickCurve(event) {
      const box = event.currentTarget.getBoundingClientRect();
      this.go(this.first + Math.round(((event.clientX - box.left) / box.width) * (this.last - this.first)));
    },
    keepSize() {
      localStorage.setItem("sheet size", String(this.size));
    },
    show(way) {
      if (way === "difference" && !this.side) {
        if (!this.sides.length) return;
        this.side = this.sides[0].id;
        this.pickSide();
      }
      this.way = way;
      this.sync();
    },
    // The frames of a finding, and a few to either side, as large as they fit.
    strip(found) {
      this.stretch = [Math.max(this.first, found.first - 3), Math.min(this.last, found.last + 3)];
      this.sync();
    },
    allFrames() {
      this.stretch = null;
      this.sync();
    },

    go(frame) {
      this.frame = Math.min(this.last, Math.max(this.first, frame));
      for (const tile of this.tiles) tile.classes.here = tile.frame === this.frame;
      this.draw();
      this.$nextTick(() => this.$root.querySelector(".tiles li.here")?.scrollIntoView({ block: "nearest" }));
    },
    chooseTile(event, frame) {
      if (event.ctrlKey || event.metaKey || event.shiftKey) return; // the browser's own: another tab
      if (frame === this.frame) return; // the second click follows the link
      event.preventDefault();
      this.go(frame);
    },
    open(frame) {
      location.assign(this.deskAt(frame));
    },
    // Hovering plays from a frame on, in its own tile.
    hover(event, frame) {
      const img = event.currentTarget.querySelector("img");
      if (!img?.src) return;
      let at = frame;
      this.playing = setInterval(() => {
        at = at >= this.last ? frame : at + 1;
        const tile = this.tiles.find((t) => t.frame === at);
        if (tile?.src) img.src = tile.src;
      }, 1000 / Math.min(this.rate, 12));
    },
    leave(event, frame) {
      clearInterval(this.playing);
      const img = event.currentTarget.querySelector("img"), tile = this.tiles.find((t) => t.frame === frame);
      if (img && tile?.src) img.src = tile.src;
    },

    choose(id) {
      this.chosen = this.chosen === id ? 0 : id;
      this.reason = "";
      const found = this.findings.find((f) => f.id === this.chosen);
      if (found) this.go(Math.max(found.first, this.first));
      else this.draw();
    },
    step(by) {
      const list = this.listed;
      if (!list.length) return;
      const at = list.findIndex((f) => f.id === this.chosen);
      this.chosen = 0;
      this.choose(list[(at + by + list.length) % list.length].id);
    },
    key(event) {
      if (event.key === "Escape") return document.activeElement.blur(); // back to the frames: Enter opens one then
      if (event.target.closest("input, select, textarea") || event.ctrlKey || event.altKey || event.metaKey) return;
      const across = Math.max(1, Math.floor(this.$root.querySelector(".tiles").clientWidth / (Number(this.wide) + 10)));
      const acts = {
        ArrowLeft: () => this.go(this.frame - 1), ArrowRight: () => this.go(this.frame + 1), ArrowUp: () => this.go(this.frame - across), ArrowDown: () => this.go(this.frame + across),
        Home: () => this.go(this.first), End: () => this.go(this.last), ".": () => this.step(1), ",": () => this.step(this.chosen ? -1 : 0), Enter: () => this.open(this.frame),
      };
      const way = WAYS.find((w) => w.key === event.key);
      if (event.key === "Enter" && event.target.closest("button, a")) return;
      if (!acts[event.key] && !way) return;
      event.preventDefault();
      if (way) this.show(way.way);
      else acts[event.key]();
    },

    // Long work: asked for when something has changed, followed while it goes on.
    async measure() {
      try {
        const job = await post(`/shots/${this.shot}/jobs`, { kind: "check.read", subject: this.matte });
        Object.assign(this, { busy: true, job: job.id, trouble: "" });
      } catch (error) {
        if (error.status !== 422 && error.status !== 409) this.trouble = error.message; // it is under way already
      }
    },
    async stop() {
      if (this.job) await post(`/shots/${this.shot}/jobs/${this.job}/cancel`, {});
    },
    async follow() {
      try {
        const { jobs } = await get(`/shots/${this.shot}/jobs`);
        const job = jobs.find((one) => one.kind === "check.read" && one.subject === this.matte);
        const busy = Boolean(job && ["waiting", "working"].includes(job.state));
        const told = job ? `${job.id} ${job.state} ${job.done}` : "";
        if (busy) Object.assign(this, { busy, job: job.id, percent: job.percent, says: job.total ? `looked at ${job.done} of ${job.total}${job.left ? `, ${job.left}` : ""}` : "waiting for a worker" });
        if (told !== this.told) {
          this.busy = busy;
          if (!busy) this.says = "";
          if (job && job.state === "failed") this.trouble = job.message;
          await this.load();
        }
        this.told = told;
      } catch {
        this.says = "no connection; trying again";
      }
      setTimeout(() => this.follow(), this.busy ? LOOK_EVERY : 3000);
    },

    async mend(command) {
      try {
        const made = await post(`/shots/${this.shot}/edits`, { id: newId(), base: null, command, view: null });
        this.undo = made.undo;
        this.trouble = "";
        await this.measure();
        await this.load();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    async takeBack() {
      try {
        this.undo = (await post(`/shots/${this.shot}/undo`, { id: newId() })).undo;
        await this.measure();
        await this.load();
      } catch (error) {
        this.trouble = error.message;
      }
    },
    answer(id, said) {
      return post(`/shots/${this.shot}/findings/${id}/answer`, said).then(() => {
        this.trouble = "";
        this.reason = "";
        return this.load();
      }).catch((error) => {
        this.trouble = error.message;
      });
    },
    meant(id) {
      return this.answer(id, { meant: true, reason: this.reason });
    },
    openAgain(id) {
      return this.answer(id, { meant: false });
    },
  }));
});
