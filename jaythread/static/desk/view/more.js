// What the panel says beside the stack and the settings: keys in a row, the display of the plate, what was done. Mixed into `panel`.

import { get, post } from "../net/api.js";
import { pressed, whyNot } from "../model/acts.js";

const CHANNELS = ["form", "placement", "settings"];

export function more() {
  return {
    shutterSays: null, under: "", elsewhere: [], over: "", shots: [], grounds: [], changing: "", keySays: "", isGroup: false, asOne: null, mayBeOne: false, opacity: 100, movesWith: "", groups: [], carries: "", trial: "", spread: "here", loupe: false, at: ["", ""], shiftBy: 1, span: [0, 0], spanTo: [0, 0], others: [], other: "", locked: false, veiled: false, alone: false, stride: 5, marked: null,
    display: { exposure: 0, gamma: 1, channel: "all", tint: "#7d4f96", strength: 0.5 }, displayed: "", ownGround: "#2e6b4f", doneRows: [],

    syncMore() {
      const { store } = this.desk;
      const { shape, marks } = store;
      Object.assign(this, { spread: store.spread, stride: store.stride, marked: store.marked, display: { ...store.display } });
      const { exposure, gamma, channel } = store.display;
      this.displayed = [exposure ? `${exposure > 0 ? "+" : ""}${exposure} stops` : "", gamma !== 1 ? `gamma ${gamma}` : "", channel === "all" ? "" : `${channel} only`]
        .filter(Boolean).join(", ");
      const trial = this.desk.trial?.now;
      this.trial = trial ? `${trial.why || ""} Would be: ${trial.says}.`.trim() : "";
      this.loupe = store.loupe;
      if (!store.loupe) this.under = "";
      this.at = store.pointCount && store.editable.length ? store.middle.map((v) => v.toFixed(2)) : ["", ""];
      this.grounds = store.grounds;
      this.shots = store.shots;
      const here = new Set(store.stack().map((line) => line.shape));
      this.elsewhere = [...store.shapes.values()].filter((s) => s.kind !== "group" && !here.has(s.id)).map((s) => ({ id: s.id, name: s.name }));
      this.locked = Boolean(shape?.locked);
      this.isGroup = shape?.kind === "group";
      this.groups = store.groups.map((s) => ({ id: s.id, name: s.name }));
      this.movesWith = shape?.group || "";
      this.asOne = store.lines().find((line) => line.shape === shape?.id) || null;
      this.mayBeOne = this.isGroup && store.stack().some((line) => store.shapes.get(line.shape).group === shape.id);
      this.opacity = this.asOne ? Math.round(this.asOne.opacity * 100) : 100;
      this.carries = this.isGroup ? store.membersOf(shape.id).map((s) => s.name).join(", ") || "nothing yet" : "";
      this.veiled = Boolean(shape && marks.veiled.has(shape.id));
      this.alone = Boolean(shape && marks.alone === shape.id);
      this.others = [...store.shapes.values()].filter((s) => s !== shape && s.kind !== "group").map((s) => ({ id: s.id, name: s.name }));
      if (!this.others.some((s) => s.id === this.other)) this.other = this.others[0]?.id || "";
      if (!shape || this.spanOf === shape.id + shape.revision) return;
      this.spanOf = shape.id + shape.revision;
      const frames = CHANNELS.flatMap((c) => shape[c].map((k) => k.frame));
      this.span = [Math.min(...frames), Math.max(...frames)];
      this.spanTo = [...this.span];
    },

    setSpread(event) {
      this.desk.store.set("spread", event.target.value);
    },
    setLoupe(event) {
      this.desk.store.set("loupe", event.target.checked);
    },
    // The chosen points to a place by figures: x or y of their middle.
    pointSet(axis, event) {
      const value = Number(event.target.value);
      const { middle } = this.desk.store;
      if (event.target.value === "" || !Number.isFinite(value)) return this.syncMore();
      this.desk.nudge(axis ? 0 : value - middle[0], axis ? value - middle[1] : 0);
    },
    setStride(event) {
      this.desk.store.set("stride", Math.min(1000, Math.max(1, Math.round(Number(event.target.value)) || 1)));
    },
    setNeighbours(event) {
      this.desk.store.set("neighbours", event.target.value === "none" ? false : event.target.value);
    },
    mark(kind) {
      this.desk.mark(kind);
    },
    lock() {
      this.desk.lock();
    },
    veil() {
      this.mark("veiled");
    },
    makeGroup() {
      this.desk.group();
    },
    setMovesWith(event) {
      if (event.target.value === "new") this.desk.group();
      else this.desk.ride(event.target.value);
    },
    chooseGroup() {
      this.desk.store.choose(this.movesWith);
    },
    showAlone() {
      this.mark("alone");
    },
    duplicate() {
      this.desk.duplicate();
    },
    reopen() {
      this.desk.reopen();
    },
    freehand() {
      this.desk.startTracing("freehand");
    },
    dividing() {
      this.desk.startTracing("dividing");
    },

    // Surgery on all keys of the chosen shapes.
    surgery(says, command) {
      const shapes = this.desk.store.movable;
      if (!shapes.length) return;
      const channels = (s) => (s.kind === "group" ? ["placement"] : CHANNELS);
      this.desk.edits.pushAll(says, shapes.map((s) => ({ shape: s.id, channels: channels(s), ...command })));
    },
    shiftKeys() {
      const by = Math.round(Number(this.shiftBy));
      if (by) this.surgery(`shifted keys by ${by}`, { do: "shift keys", by });
    },
    stretchKeys() {
      const [span, to] = [this.span, this.spanTo].map((s) => s.map((v) => Math.round(Number(v))));
      this.surgery("stretched keys", { do: "stretch keys", span, to });
    },
    reverseKeys() {
      this.surgery("reversed keys", { do: "reverse keys", span: this.span.map((v) => Math.round(Number(v))) });
    },
    onlyKey() {
      this.surgery("took away all keys but one", { do: "only key", frame: this.frame });
    },
    takeKeys(what) {
      const channels = what === "form" ? ["form"] : ["placement"];
      const { store, edits } = this.desk;
      if (this.other && store.editable.includes(store.shape)) edits.push({ do: "take keys", shape: store.shape.id, other: this.other, channels });
    },
    takeForm() {
      this.takeKeys("form");
    },
    takePlacement() {
      this.takeKeys("placement");
    },
    async steady() {
      const { shape } = this.desk.store;
      if (!shape || !this.desk.store.movable.includes(shape)) return;
      try {
        await this.desk.trial.begin({ do: "steady", shape: shape.id });
      } catch (error) {
        this.tell(error.message);
      }
    },
    // The chosen points, in the outline's order, as one stretch; shown before it is taken.
    async shareEdge() {
      const { store, trial } = this.desk;
      const { shape } = store;
      const n = shape.curves.length;
      const some = store.pointsOf(shape.id);
      const first = [...some].find((i) => !some.has((i + n - 1) % n));
      if (some.size < 2 || first === undefined || !this.other) return this.tell("Choose two or more neighbouring points first, but not the whole outline.");
      const points = [];
      for (let i = first; some.has(i); i = (i + 1) % n) points.push(i);
      try {
        await trial.begin({ do: "share edge", shape: shape.id, other: this.other, points, frame: store.frame });
      } catch (error) {
        this.tell(error.message);
      }
    },
    // The shutter by the camera's time: "1/50" or seconds.
    setExposure(event) {
      const [one, other = 1] = event.target.value.split("/").map(Number);
      const seconds = one / other;
      const angle = Math.round(seconds * this.desk.store.shot.rate * 3600) / 10;
      if (!(seconds >= 0) || angle > 360) this.tell(`Type the camera's shutter time, for example 1/50: at ${this.rate} frames a second it is 1/${this.rate} s at the longest.`);
      else this.send({ do: "shutter", angle, phase: this.centred ? null : this.phase });
      event.target.value = this.exposure;
    },
    async readShutter() {
      const { store } = this.desk;
      if (!store.shape) return;
      try {
        this.tell("Reading the plate where the shape moves fastest ...");
        this.shutterSays = await get(`/shots/${store.shot.id}/shapes/${store.shape.id}/shutter`);
        this.said = "";
      } catch (error) {
        this.shutterSays = null;
        this.tell(error.message);
      }
    },
    takeShutter() {
      this.send({ do: "shutter", angle: this.shutterSays.angle, phase: this.centred ? null : this.phase });
      this.shutterSays = null;
    },
    leaveShutter() {
      this.shutterSays = null;
    },

    // What the plate says of the edge: shown first, for the chosen points or all of them.
    async readSoftness() {
      const { store, trial } = this.desk;
      const { shape } = store;
      if (!store.editable.includes(shape)) return;
      try {
        this.tell("Reading the plate along the outline ...");
        const read = await get(`/shots/${store.shot.id}/shapes/${shape.id}/softness/${store.frame}`);
        const wanted = store.pointsOf(shape.id);
        const points = Object.fromEntries(Object.entries(read.points).filter(([i]) => !wanted.size || wanted.has(Number(i))));
        const missing = read.unknown.filter((i) => !wanted.size || wanted.has(i));
        const told = `The plate's edge is known on ${read.known} % of the outline`;
        const rest = missing.length ? `; it says nothing at ${missing.length} of its points, which stay as they are` : "";
        if (!Object.keys(points).length) return this.tell(`${told}${rest}. Too little contrast, or another edge beside it.`);
        this.said = "";
        await trial.begin({ do: "reach", shape: shape.id, frame: store.frame, points, ...store.spreading }, `${told}${rest}.`);
      } catch (error) {
        this.tell(error.message);
      }
    },
    takeTrial() {
      this.desk.trial.take();
    },
    leaveTrial() {
      this.desk.trial.leave();
    },
    copyKey() {
      this.desk.copyKey();
    },

    // What is shown of the plate.
    setDisplay(name, event) {
      const { value } = event.target;
      const { store } = this.desk;
      store.set("display", { ...store.display, [name]: ["channel", "tint"].includes(name) ? value : Number(value) });
    },
    plainDisplay() {
      const { store } = this.desk;
      store.set("display", { ...store.display, exposure: 0, gamma: 1, channel: "all" });
    },
    setOwnGround(event) {
      this.ownGround = event.target.value;
      this.desk.store.set("ground", event.target.value);
    },

    closeMenu(event) {
      event.currentTarget.closest("details").open = false;
    },
    addLine(event) {
      const shape = event.target.value;
      event.target.value = "";
      if (shape) this.send({ do: "add line", entry: crypto.randomUUID(), matte: this.matte, shape });
    },
    combineAsOne() {
      this.send({ do: "add line", entry: crypto.randomUUID(), matte: this.matte, shape: this.shape.id });
    },
    setLineOpacity(event) {
      const opacity = Math.min(100, Math.max(0, Number(event.target.value) || 0)) / 100;
      this.send({ do: "entry", entry: this.asOne.id, opacity });
    },
    dropLine() {
      const line = this.lines.find((l) => l.last);
      if (line) this.send({ do: "drop line", entry: line.id });
    },
    // A line of the stack is dragged to another place in it.
    lineDown(line, event) {
      if (!this.mayTrace || event.button) return;
      const from = event.clientY;
      const at = (e) => document.elementFromPoint(e.clientX, e.clientY)?.closest?.("[data-line]")?.dataset.line || "";
      const move = (e) => {
        if (Math.abs(e.clientY - from) > 6) this.over = at(e);
      };
      const up = (e) => {
        removeEventListener("pointermove", move);
        removeEventListener("pointerup", up);
        const to = this.over && at(e);
        this.over = "";
        if (to && to !== line.id) this.desk.bringTo(line.id, to);
      };
      addEventListener("pointermove", move);
      addEventListener("pointerup", up);
    },
    async copyTo(event) {
      const shot = Number(event.target.value);
      event.target.value = "";
      const { store } = this.desk;
      if (!shot || !store.shape) return;
      try {
        const there = await post(`/shots/${store.shot.id}/shapes/${store.shape.id}/copies`, { shot });
        this.tell(`${store.shape.name} is now in the matte ${there.matte} of ${there.shot} too, with all its keys.`);
      } catch (error) {
        this.tell(`Not copied. ${error.message}`);
      }
    },

    // A person's own keys.
    changeKey(row) {
      this.changing = row.id;
      this.keySays = "Press the new key; Escape leaves it as it is.";
    },
    async keyPressed(event) {
      if (!this.changing || ["Control", "Shift", "Alt", "Meta"].includes(event.key)) return;
      event.preventDefault();
      event.stopPropagation();
      const key = pressed(event);
      this.keySays = key === "Escape" ? "" : whyNot(this.table, this.changing, key);
      if (this.keySays) return;
      const act = this.table.find((one) => one.id === this.changing);
      this.changing = "";
      if (key !== "Escape") await this.giveKeys([[act, [key]]]);
    },
    async giveKeys(pairs) {
      const own = { ...this.desk.store.ownKeys };
      for (const [act, keys] of pairs) {
        act.keys = keys;
        if (keys.join() === act.ours.join()) delete own[act.id];
        else own[act.id] = keys;
      }
      this.desk.store.ownKeys = own;
      this.findKeys();
      try {
        await post("/me/keys", { keys: own });
        this.keySays = "Kept for you, on every machine.";
      } catch (error) {
        this.keySays = `Not kept: ${error.message}`;
      }
    },
    oursAgain() {
      this.changing = "";
      return this.giveKeys(this.table.map((act) => [act, act.ours]));
    },

    async openDone() {
      this.doneRows = (await get(`/shots/${this.desk.store.shot.id}/edits`)).edits;
      document.getElementById("done").showModal();
    },
    closeDone() {
      document.getElementById("done").close();
    },
  };
}
