// Two states of a matte held against each other: one, the other, the difference, a wipe, both outlines; and how much each frame differs.

import { call, get } from "../desk/net/api.js";
import { stepping } from "../review/stepping.js";

const WAYS = [
  { way: "one", says: "one", key: "1" }, { way: "other", says: "the other", key: "2" }, { way: "difference", says: "difference", key: "3" },
  { way: "wipe", says: "wipe", key: "4" }, { way: "outlines", says: "outlines", key: "5" },
];
const AROUND = 0.15; // of the size of what differs, so much is shown around it when one looks close
const CLOSE = 160; // px of the plate that are shown at least then

const px = (area) => (area < 100 ? area.toFixed(1) : Math.round(area).toLocaleString("en"));

document.addEventListener("alpine:init", () => {
  Alpine.data("compare", () => ({
    ...stepping,
    ways: WAYS, way: "difference", ready: false, sides: [], brought: [], one: "", other: "", names: { one: "", other: "" }, rows: [], next: null, first: 0, last: 0, frame: 0, size: [16, 9],
    close: false, wipe: 50, pictures: { one: "", other: "", difference: "" }, lines: { one: "", other: "" }, box: [0, 0, 16, 9], trouble: "",

    async init() {
      const { shot, matte, plate, one, other } = this.$root.dataset;
      Object.assign(this, { shot, matte, plate, path: `/shots/${shot}/mattes/${matte}` });
      document.addEventListener("keydown", (e) => this.key(e));
      document.addEventListener("keyup", (e) => this.release(e));
      await this.load(one, other);
    },
    async load(one, other) {
      const told = await this.attempt(() => get(`${this.path}/sides`));
      if (!told) return;
      const [first, last] = told.frames;
      Object.assign(this, { first, last, size: told.size, box: [0, 0, ...told.size], brought: told.brought, frame: this.frame || first });
      this.sides = told.sides.map((s) => ({ ...s, label: s.says }));
      for (const id of [one, other]) if (id && !this.sides.some((s) => s.id === id)) this.sides.push({ id, says: id, label: id.replace("after ", "after edit ") });
      this.one = one || this.sides.at(1)?.id || "";
      this.other = other || "now";
      this.ready = true;
      const coming = told.brought.filter((b) => b.state === "waiting").map((b) => `brought ${b.id}`);
      if (coming.length) setTimeout(() => this.follow(), 1000);
      if (!coming.includes(this.one) && !coming.includes(this.other)) await this.measure(); // until it is read there is nothing to see
    },
    async follow() {
      const told = await this.attempt(() => get(`${this.path}/sides`));
      if (!told) return;
      this.brought = told.brought;
      if (told.brought.some((b) => b.state === "waiting")) setTimeout(() => this.follow(), 1000);
      else await this.load(this.one, this.other);
    },
    get nothing() {
      return this.ready && this.sides.length < 2;
    },
    get asked() {
      return `one=${encodeURIComponent(this.one)}&other=${encodeURIComponent(this.other)}`;
    },
    // Frame by frame, until all are told or something else is chosen.
    async measure() {
      const mine = (this.measuring = (this.measuring || 0) + 1);
      Object.assign(this, { rows: [], next: null });
      if (!this.one || !this.other || this.one === this.other || this.nothing) return;
      await this.draw();
      for (let begin = this.first; begin !== null;) {
        const told = await this.attempt(() => get(`${this.path}/differences?${this.asked}&begin=${begin}`));
        if (!told || this.measuring !== mine) return;
        this.names = { one: told.one, other: told.other };
        this.rows = this.rows.concat(told.frames.map((r) => ({ ...r, amount: r.more + r.less })));
        begin = this.next = told.next;
      }
      const most = this.listed[0];
      if (most && !this.rows.find((r) => r.frame === this.frame && r.stands !== "same")) await this.go(most.frame);
    },
    pick() {
      this.close = false;
      history.replaceState(null, "", `?${this.asked}`);
      return this.measure();
    },
    swap() {
      [this.one, this.other] = [this.other, this.one];
      return this.pick();
    },
    get here() {
      return this.rows.find((r) => r.frame === this.frame);
    },
    // By how much they differ, the most first.
    get listed() {
      return this.rows.filter((r) => r.stands !== "same" && r.stands !== "none").sort((a, b) => b.amount - a.amount).map((r) => ({ ...r, says: this.words(r) }));
    },
    get bars() {
      const most = Math.max(1, ...this.rows.map((r) => r.amount));
      const wide = 100 / (this.last - this.first + 1);
      return this.listed.map((r) => ({ frame: r.frame, only: r.stands !== "differs", style: { left: `${(r.frame - this.first) * wide}%`, width: `${wide}%`, height: `${r.stands === "differs" ? 3 + 21 * Math.sqrt(r.amount / most) : 24}px` } }));
    },
    words(row) {
      if (!row) return "";
      const only = { "only one": `only ${this.names.one} has it`, "only other": `only ${this.names.other} has it`, none: "neither has it", same: "the same" };
      return only[row.stands] || `+${px(row.more)} -${px(row.less)}`;
    },
    get said() {
      if (this.one === this.other) return "Choose two that are not the same.";
      if (this.next !== null) return `looked at ${this.rows.length} of ${this.last - this.first + 1} frames`;
      if (!this.rows.length) return "";
      const count = this.listed.length;
      return count ? `${count} of ${this.rows.length} frames differ${count === 1 ? "s" : ""}` : "no frame differs";
    },
    get onThis() {
      const row = this.here;
      return row?.stands === "differs" ? `${this.words(row)} px of area` : this.words(row);
    },

    show(way) {
      this.way = way;
      return this.draw();
    },
    nextThatDiffers() {
      const ahead = this.listed.map((r) => r.frame).sort((a, b) => a - b);
      const next = ahead.find((f) => f > this.frame) ?? ahead[0];
      if (next !== undefined) this.go(next);
    },
    lookClose() {
      this.close = !this.close;
      return this.draw();
    },
    // What of the plate is shown: all of it, or what differs with something around.
    part() {
      const [wide, high] = this.size;
      const found = this.here?.box;
      if (!this.close || !found) return [0, 0, wide, high];
      const [x0, y0, x1, y1] = found;
      const across = Math.min(wide, Math.max(CLOSE, (x1 - x0) * (1 + 2 * AROUND), ((y1 - y0) * (1 + 2 * AROUND) * wide) / high));
      const down = (across * high) / wide;
      const at = (middle, length, most) => Math.round(Math.min(most - length, Math.max(0, middle - length / 2)));
      return [at((x0 + x1) / 2, across, wide), at((y0 + y1) / 2, down, high), Math.round(across), Math.round(down)];
    },
    // Only the newest that was asked for is shown.
    async draw() {
      if (this.one === this.other || this.nothing) return;
      const mine = (this.drawing = (this.drawing || 0) + 1);
      const box = this.part();
      const where = `frame=${this.frame}&box=${box.join(",")}`;
      const wanted = { one: ["one"], other: ["other"], difference: ["difference"], wipe: ["one", "other"], outlines: [] }[this.way];
      const paths = { one: `side?side=${encodeURIComponent(this.one)}&`, other: `side?side=${encodeURIComponent(this.other)}&`, difference: `difference?${this.asked}&` };
      const got = await Promise.all(wanted.map((name) => this.attempt(() => call("GET", `${this.path}/${paths[name]}${where}`).then((r) => r.blob()))));
      const lines = this.way === "outlines" ? await this.attempt(() => get(`${this.path}/outlines?${this.asked}&frame=${this.frame}`)) : null;
      if (this.drawing !== mine) return;
      for (const name of Object.keys(this.pictures)) {
        if (this.pictures[name]) URL.revokeObjectURL(this.pictures[name]);
        const blob = got[wanted.indexOf(name)];
        this.pictures[name] = blob ? URL.createObjectURL(blob) : "";
      }
      this.lines = lines || { one: "", other: "" };
      this.box = box;
    },
    get view() {
      return this.box.join(" ");
    },
    get ground() {
      return this.way === "outlines" && this.plate ? this.plate.replace("/0.jpg", `/${this.frame}.jpg`) : "";
    },
    get clip() {
      return this.way === "wipe" ? `inset(0 0 0 ${this.wipe}%)` : "none";
    },
    key(event) {
      if (event.target.closest("input:not([type=range]), select, textarea") || event.ctrlKey || event.altKey || event.metaKey) return;
      const way = WAYS.find((w) => w.key === event.key);
      const acts = {
        ArrowLeft: () => this.go(this.frame - 1), ArrowRight: () => this.go(this.frame + 1), ".": () => this.nextThatDiffers(), c: () => this.lookClose(), C: () => this.lookClose(),
        d: () => event.repeat || this.hold(), D: () => event.repeat || this.hold(),
      };
      if (!way && !acts[event.key]) return;
      event.preventDefault();
      if (way) this.show(way.way);
      else acts[event.key]();
    },
    // While it is held the one stands where the other does, and the other way round.
    hold() {
      this.held = this.way;
      return this.show(this.way === "one" ? "other" : "one");
    },
    release(event) {
      if ((event.key === "d" || event.key === "D") && this.held) {
        this.show(this.held);
        this.held = "";
      }
    },
  }));
});
