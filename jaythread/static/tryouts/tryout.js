// The page of one tryout: its picture with handles, its lines, what it says of itself, and time. Knows the parts of this folder.

import { Answer, call, get, newId, post } from "../desk/net/api.js";
import { Film } from "./film.js";
import { listen } from "./keys.js";
import { graphicLine, newLine, OFFERS } from "./lines.js";
import { Picture } from "./picture.js";

const FIRST = 400; // ms for which the rest of the page waits for the first picture

const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const clone = (data) => JSON.parse(JSON.stringify(data));

// What a field says, by its kind.
function said(field) {
  if (field.type === "checkbox") return field.checked;
  if (field.type === "number" || field.type === "range" || field.dataset.number !== undefined) {
    const value = Number(field.value);
    return field.value === "" ? null : Number.isFinite(value) ? value : undefined;
  }
  return field.value;
}

// How a line's light differs over time, as the points of a curve in a box of 100 by 40: up is brighter, the middle is alike, 2 stops either way.
function curve(light, first, last) {
  const at = ({ frame, stops }) => `${((100 * (frame - first)) / Math.max(1, last - first)).toFixed(1)},${(20 - 10 * Math.max(-2, Math.min(2, stops))).toFixed(1)}`;
  return light.map(at).join(" ");
}

document.addEventListener("alpine:init", () => {
  Alpine.data("trying", () => ({
    ready: false, mayTrace: false, name: "", lines: [], chosen: "", line: null, frame: 0, first: 0, last: 0, rate: 24, playing: false, state: "", trouble: "", told: [],
    mattes: [], tracks: [], clips: [], shots: [], undo: null, redo: null, keysOn: [], made: 0, making: "", pulls: false, offers: OFFERS, light: "", offered: null,
    to: null, toMatte: "", typing: false,
    now: { x: "0", y: "0", turn: "0", size: "100", skew: "0", tall: "100", opacity: "100", angle: "0", speed: "1" },

    async init() {
      const { shot, tryout, size, working, frame, early } = this.$root.dataset;
      const [first, last] = working.split(" ").map(Number);
      const sides = size.split(" ").map(Number);
      Object.assign(this, { shot, id: tryout, values: {}, first, last, frame: Number(frame), size: sides });
      this.picture = new Picture(this.$root.querySelector(".picture"), sides, this);
      this.film = new Film(shot, tryout, [first, last], () => this.picture.wide);
      this.film.addEventListener("shown", () => this.painted());
      this.film.addEventListener("shown", () => this.advise(), { once: true });
      this.film.addEventListener("ahead", () => this.madeAhead());
      listen(this);
      await Promise.race([this.film.begin(this.frame, early), pause(FIRST)]); // before all else: it is what one waits for
      const [data, values] = await Promise.all([get(`/shots/${shot}/desk`), this.lying()]);
      Object.assign(this, {
        ready: true, mayTrace: data.mayTrace, rate: data.shot.rate, clips: data.clips.map((c) => c.name), shots: data.shots, plate: data.plate,
      });
      this.hear(data);
      this.values = values;
      this.sync();
      setInterval(() => this.follow(), 3000);
    },

    // What the server says of the shot: this tryout among it, what is known of it, and its picture.
    async take(data) {
      this.hear(data);
      if (!data.tryouts || !this.row) return;
      this.film.forget();
      this.made = 0;
      this.values = await this.lying();
      this.sync();
      this.film.show(this.frame);
    },
    hear(data) {
      if ("undo" in data) Object.assign(this, { undo: data.undo, redo: data.redo });
      if (data.mattes) this.mattes = data.mattes.map((m) => ({ id: m.id, name: m.name }));
      if (data.tracks) this.tracks = data.tracks.filter((t) => t.hows[0] !== "bend").map((t) => ({ id: t.id, name: t.name }));
      if (data.revision) this.revision = data.revision;
      if (!data.tryouts) return;
      const found = data.tryouts.find((t) => t.id === this.id);
      this.row = found;
      if (!found) return location.assign(`/shots/${this.shot}/tryouts`);
      this.name = found.name;
      this.lines = found.lines.map((line, at) => ({ id: line.id, says: found.sentences[at], away: line.hidden })).reverse();
      if (!found.lines.some((line) => line.id === this.chosen)) this.chosen = found.lines.at(-1)?.id || "";
    },
    // What is keyed, and where lines lie, on each frame.
    async lying() {
      try {
        return (await get(`/shots/${this.shot}/tryouts/${this.id}/values`)).lines;
      } catch (error) {
        this.trouble = error.message;
        return this.values;
      }
    },
    // What others do at the shot meanwhile: its shapes, this tryout. Not while something is dragged, typed or played.
    async follow() {
      const busy = this.state || this.playing || this.picture.drag || this.offered || this.holding || this.typing || document.hidden;
      if (busy) return;
      try {
        const { edits } = await get(`/shots/${this.shot}/news?revision=${this.revision}`);
        if (edits.shapes) await this.take(edits);
      } catch {
        /* without a connection nothing new is known; the next edit says so */
      }
    },
    madeAhead() {
      const { film } = this;
      this.made = film.made.toFixed(3);
      this.making = this.playing && film.busy ? (film.job.state === "waiting" ? "pictures wait to be made" : `making pictures, ${film.job.percent} %${film.job.left ? `, ${film.job.left}` : ""}`) : "";
      this.trouble = film.trouble || (film.job?.state === "failed" ? film.job.message : "");
    },
    painted() {
      this.trouble = this.film.trouble;
      this.picture.draw();
    },

    // A row of a channel of the chosen line on the frame in hand.
    at(channel) {
      const rows = this.values[this.chosen]?.[channel];
      return rows?.[rows.length > 1 ? Math.min(rows.length - 1, Math.max(0, this.frame - this.firstOfShot())) : 0] || null;
    },
    firstOfShot() {
      return this.row.first ?? Number(this.$root.dataset.first);
    },
    sync() {
      if (!this.row) return;
      const line = this.row.lines.find((one) => one.id === this.chosen) || null;
      this.line = line && clone(line);
      const place = this.at("place");
      if (line && place) {
        const [[x, y], [turn, skew], [size, tall]] = place;
        const figure = (value, digits = 1) => value.toFixed(digits);
        this.now = {
          x: figure(x), y: figure(y), turn: figure(turn), skew: figure(skew), size: figure(Math.exp(size) * 100), tall: figure(Math.exp(size + tall) * 100),
          opacity: figure(this.at("opacity")[0][0] * 100), angle: figure(this.at("angle")[0][0]), speed: figure(this.at("speed")[0][0], 2),
        };
      }
      const told = this.values[this.chosen] || {};
      const frames = new Set(["place", "corners", "angle", "opacity", "speed", "gain"].flatMap((channel) => told[`${channel} keys`] || []));
      this.keysOn = [...frames].filter((f) => f >= this.first && f <= this.last).map((f) => ({ frame: f, style: { left: `${(100 * (f - this.first)) / Math.max(1, this.last - this.first)}%` } }));
      this.picture?.draw();
    },
    get kind() {
      return this.line ? this.line.shows.kind : "";
    },
    get pivot() {
      const lies = this.at("lies");
      return lies && this.line && this.kind !== "light" ? lies.slice(0, 2) : null;
    },

    // An edit of this tryout; what is refused is said, and the page shows what is there.
    async send(command, again = {}) {
      if (!this.mayTrace) return;
      this.state = "saving";
      try {
        await this.take(await post(`/shots/${this.shot}/edits`, { id: newId(), base: { [this.id]: this.row.revision }, command: { tryout: this.id, ...command }, view: null, ...again }));
        this.trouble = "";
        clearTimeout(this.asking);
        this.asking = setTimeout(() => this.advise(), 800);
      } catch (error) {
        this.trouble = error.message;
        if (error instanceof Answer) await this.take(await get(`/shots/${this.shot}/desk`));
      }
      this.state = "";
    },
    async turn(way) {
      try {
        await this.take(await post(`/shots/${this.shot}/${way}`, { id: newId() }));
      } catch (error) {
        this.trouble = error.message;
      }
    },
    takeBack() {
      return this.turn("undo");
    },
    doAgain() {
      return this.turn("redo");
    },
    sendLine(line) {
      return this.send({ do: "tryout line", line });
    },
    key(channel, values) {
      return this.send({ do: "tryout key", line: this.chosen, channel, frame: this.frame, values });
    },

    // Fields of the chosen line: `path` is where in the document.
    set(path, event) {
      const value = said(event.target);
      if (value === undefined) return this.sync();
      this.put(path, value);
    },
    put(path, value) {
      const line = clone(this.line);
      const steps = path.split(".");
      const last = steps.pop();
      let inner = line;
      for (const step of steps) inner = inner[step];
      inner[last] = value;
      this.sendLine(line);
    },
    setThrough(event) {
      const line = clone(this.line);
      const [matte, outside] = event.target.value.split(" ");
      line.through = matte ? { along: false, soften: 0, grow: 0, later: 0, ...(line.through || {}), matte, outside: Boolean(outside) } : null;
      this.sendLine(line);
    },
    get throughValue() {
      return this.line?.through ? this.line.through.matte + (this.line.through.outside ? " outside" : "") : "";
    },
    setShadow(event) {
      this.put("done.shadow", event.target.checked ? { turn: 60, away: this.size[1] / 60, blur: this.size[1] / 45, strength: 0.5, colour: "#000000" } : null);
    },
    setSwing(event) {
      const middle = this.size[0] / 2;
      this.put("place.swing", event.target.checked ? { hinge: [[middle, 0], [middle, this.size[1]]], angle: [], view: 40 } : null);
    },
    setLive(event) {
      this.put("live", event.target.checked ? [this.first, this.last] : null);
    },
    placeSet(name, event) {
      const value = said(event.target);
      const place = this.at("place");
      if (typeof value !== "number" || !place) return this.sync();
      const now = clone(place);
      const size = now[2][0];
      if (name === "x" || name === "y") now[0][name === "x" ? 0 : 1] = value;
      else if (name === "turn") now[1][0] = value;
      else if (name === "skew") now[1][1] = value;
      else if (name === "size") now[2][0] = Math.log(Math.max(value, 0.3) / 100);
      else now[2][1] = Math.log(Math.max(value, 0.3) / 100) - size;
      this.key("place", now);
    },
    amountSet(channel, event) {
      const value = said(event.target);
      if (typeof value === "number") this.key(channel, [[channel === "opacity" ? Math.min(100, Math.max(0, value)) / 100 : value, 0]]);
      else this.sync();
    },
    dropKey() {
      const told = this.values[this.chosen];
      const channel = ["place", "corners", "angle", "opacity", "speed", "gain"].find((name) => told[`${name} keys`].includes(this.frame));
      if (channel) this.key(channel, null);
    },
    get keyHere() {
      return this.keysOn.some((key) => key.frame === this.frame);
    },

    choose(id) {
      this.chosen = id;
      this.sync();
    },
    moveLine(id, by) {
      const lines = clone(this.row.lines);
      const at = lines.findIndex((line) => line.id === id);
      if (at + by < 0 || at + by >= lines.length) return;
      lines.splice(at + by, 0, ...lines.splice(at, 1));
      this.send({ do: "tryout", lines });
    },
    up(id) {
      this.moveLine(id, 1);
    },
    down(id) {
      this.moveLine(id, -1);
    },
    hide() {
      this.put("hidden", !this.line.hidden);
    },
    remove() {
      this.send({ do: "tryout", lines: this.row.lines.filter((line) => line.id !== this.chosen) });
    },
    add(event) {
      const kind = event.target.value;
      event.target.value = "";
      if (kind === "graphic") return this.$root.querySelector("[type=file]").click();
      const made = newLine(kind, newId(), this);
      if (!made) return;
      this.chosen = made.id;
      this.send({ do: "tryout", lines: [...this.row.lines, made] });
    },
    async bringIn(event) {
      const [file] = event.target.files;
      event.target.value = "";
      if (!file) return;
      const form = new FormData();
      form.append("file", file);
      this.state = "bringing in";
      try {
        const made = graphicLine(await (await call("POST", `/shots/${this.shot}/graphics`, form)).json(), newId(), this);
        this.chosen = made.id;
        await this.send({ do: "tryout", lines: [...this.row.lines, made] });
      } catch (error) {
        this.trouble = error.message;
      }
      this.state = "";
    },
    copyLine() {
      const made = { ...clone(this.line), id: newId() };
      const at = this.row.lines.findIndex((line) => line.id === this.chosen);
      this.chosen = made.id;
      this.send({ do: "tryout", lines: [...this.row.lines.slice(0, at + 1), made, ...this.row.lines.slice(at + 1)] });
    },
    rename(event) {
      const name = event.target.value.trim();
      if (name && name !== this.row.name) this.send({ do: "tryout", name });
      else event.target.value = this.row.name;
    },
    // Which of that shot's mattes it is seen through there is asked where there are several.
    chooseShot(event) {
      const to = this.shots.find((s) => s.id === Number(event.target.value));
      event.target.value = "";
      this.to = to || null;
      this.toMatte = to?.mattes[0]?.id || "";
    },
    async copyIt() {
      const { id: to } = this.to;
      try {
        const made = await post(`/shots/${this.shot}/tryouts/${this.id}/copies`, { shot: to, matte: this.toMatte || null });
        location.assign(`/shots/${to}/tryouts/${made.id}`);
      } catch (error) {
        this.trouble = error.message;
      }
    },

    // What it says without being asked.
    async advise() {
      try {
        const told = await get(`/shots/${this.shot}/tryouts/${this.id}/advice`);
        this.told = told.says.map((one, at) => ({ ...one, at, frames: one.frames.slice(0, 8), light: one.what === "light", against: one.what.startsWith("against") }));
        this.light = curve(told.light, this.first, this.last);
      } catch (error) {
        this.trouble = error.message;
      }
    },
    // With its light evened out it is shown before it is taken.
    async evenOut(line) {
      try {
        this.offered = (await get(`/shots/${this.shot}/tryouts/${this.id}/evened/${line}`)).line;
        this.film.show(this.frame, { draft: { do: "tryout line", tryout: this.id, line: this.offered } });
      } catch (error) {
        this.trouble = error.message;
      }
    },
    takeOffered() {
      const line = this.offered;
      this.offered = null;
      return this.sendLine(clone(line));
    },
    leaveOffered() {
      this.offered = null;
      this.film.show(this.frame);
    },
    mirror(one) {
      this.chosen = one.line;
      this.sync();
      this.put("place.mirror", one.what.split(" ")[1]);
    },
    backwards(one) {
      this.chosen = one.line;
      this.sync();
      this.put("shows.reversed", !this.line.shows.reversed);
    },

    // Time.
    go(frame) {
      const to = Math.min(this.last, Math.max(this.first, Math.round(frame)));
      if (to === this.frame && !this.playing) return;
      this.frame = to;
      this.film.show(to, this.offered && !this.playing ? { draft: { do: "tryout line", tryout: this.id, line: clone(this.offered) } } : null);
      if (!this.playing) this.sync();
    },
    typed(event) {
      const frame = Number(event.target.value);
      if (Number.isFinite(frame)) this.go(frame);
      event.target.value = this.frame;
    },
    seek(event) {
      this.go(Number(event.target.value));
    },
    toggle() {
      this.playing = !this.playing;
      this.making = "";
      if (!this.playing) {
        this.film.show(this.frame);
        return this.sync();
      }
      this.film.ahead(this.frame, () => this.playing);
      const begun = performance.now();
      const from = this.frame - this.first;
      const long = this.last - this.first + 1;
      const tick = () => {
        if (!this.playing) return;
        const due = this.first + ((from + Math.floor(((performance.now() - begun) / 1000) * this.rate)) % long);
        if (due !== this.frame && this.film.has(due)) this.go(due);
        requestAnimationFrame(tick);
      };
      tick();
    },
    // While held: without the chosen line, or with it much brighter, so that its seam is seen.
    held(what) {
      if (this.holding === what || !this.line) return;
      this.holding = what;
      if (!what) return this.film.show(this.frame);
      const draft = { do: "tryout line", tryout: this.id, line: { ...clone(this.line), hidden: true } };
      this.film.show(this.frame, what === "bright" ? { bright: this.chosen } : { draft });
    },
    // While held: the plate by itself, left of the pointer.
    wipe(on) {
      if (Boolean(this.wiping) === on || !this.plate) return;
      this.wiping = on ? new Image() : null;
      if (this.wiping) {
        this.wiping.onload = () => this.picture.draw();
        this.wiping.src = `/plates/${this.plate.id}/proxy/${this.frame}.jpg?l=${this.plate.version}`;
      }
      this.picture.draw();
    },
  }));
});
