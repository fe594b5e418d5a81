// The panel and the strips around the picture, as an Alpine component: it shows what the store says and hands on what is asked for.

import { post } from "../net/api.js";
import { nameOf } from "../model/acts.js";
import { endHere, offHere, startHere } from "../model/live.js";
import { fringes } from "./fringes.js";
import { profiles } from "./profiles.js";
import { more } from "./more.js";
import { carrying } from "./carrying.js";
import { checking } from "./checking.js";
import { noting } from "./noting.js";
import { COLOURS } from "./signs.js";

export function panel() {
  const parts = [more(), fringes(), profiles(), carrying(), checking(), noting()].map((part) => Object.getOwnPropertyDescriptors(part));
  return Object.defineProperties(main(), Object.assign({}, ...parts));
}

function main() {
  return {
    ready: false, mayTrace: false, step: "trace", look: "plate", frame: 0, first: 0, last: 0, rate: "", zoom: "", state: "", drawing: false,
    touch: ["", "", ""], lines: [], threads: [], mattes: [], matte: "", matteInverted: false, matteShift: 0, matteShiftKeys: [], sentence: "", undo: null, redo: null, hidden: false,
    shape: null, many: 0, soft: { inner: 0, outer: 0, shift: 0, opacity: 1 }, place: { x: "0", y: "0", turn: "0", size: "100" },
    shutter: 180, centred: true, phase: 0, samples: "", said: "", refused: 0, playing: false, ground: "checker", neighbours: "none", colours: COLOURS.map((value, index) => ({ value, index })), playSays: "", liveSays: "", key: null, some: 0, keyRows: [], search: "", hasStrip: false,

    connect(desk, table) {
      const { store } = desk;
      this.desk = desk;
      this.table = table;
      this.ready = true;
      for (const what of ["changed", "dragged", "view"]) store.addEventListener(what, () => this.sync());
      store.addEventListener("under", () => (this.under = store.figures));
      store.addEventListener("frame", () => this.sync(store.playing));
      desk.player.addEventListener("state", () => this.playState());
      desk.edits.addEventListener("state", () => this.sync());
      desk.edits.addEventListener("refused", (e) => this.tell(e.detail));
      desk.mattes.addEventListener("loaded", () => this.sync());
      desk.small.addEventListener("loaded", () => this.sync());
      desk.fringes.addEventListener("state", () => this.sync());
      desk.fringes.tell = (text) => this.tell(text);
      desk.tracks.addEventListener("state", () => this.sync());
      desk.tracks.tell = (text) => this.tell(text);
      desk.fits.addEventListener("state", () => this.sync());
      desk.notes.addEventListener("state", () => this.syncNotes());
      desk.tell = (text) => this.tell(text);
      desk.showKeys = () => this.openKeys();
      desk.paintFringe = () => this.paintFringe();
      this.sync();
    },

    playState() {
      const { player } = this.desk;
      this.playing = Boolean(player.way);
      this.playSays = player.says;
    },

    // While playing only the frame's number follows: the rest waits until it stands still.
    sync(onlyFrame = false) {
      if (onlyFrame) {
        this.frame = this.desk.store.frame;
        return;
      }
      const { store, stage, edits, mattes } = this.desk;
      const { shape } = store;
      const matte = store.matteNow;
      Object.assign(this, {
        mayTrace: store.mayTrace, step: store.step, look: store.look, ground: store.ground, neighbours: store.neighbours || "none", frame: store.frame, first: store.shot.first, last: store.shot.last,
        rate: store.shot.rateText, zoom: `${Math.round(stage.view.scale * 100)}%`, state: edits.state, drawing: store.drawing, hidden: store.hidden,
        touch: store.touches(), mattes: store.mattes.map((m) => ({ id: m.id, name: m.name })), matte: store.matte || "", undo: store.undo, redo: store.redo,
        matteInverted: Boolean(matte?.inverted), matteShift: matte?.shifts?.[store.frame - store.shot.first] ?? 0, matteShiftKeys: (matte?.shift || []).map(([frame]) => frame), sentence: matte?.sentence || "", shutter: store.shutter.angle, centred: store.shutter.phase === null,
        phase: store.shutter.phase ?? -store.shutter.angle / 2, refused: edits.refused.length, many: store.chosenShapes.length,
        samples: store.look === "plate" ? "" : mattes.says,
      });
      this.lines = store.lines().map((line, at) => {
        const it = store.shapes.get(line.shape);
        return {
          id: line.id, picture: this.desk.small.pictures[at] || "", shape: it.id, name: it.name, colour: COLOURS[it.colour], way: line.mode + (line.inverted ? " outside" : ""), inner: Boolean(line.within),
          chosen: store.picked.has(it.id), live: store.isLive(it) || it.kind === "group", last: store.chosen === it.id,
          told: [it.locked ? "locked" : "", store.marks.veiled.has(it.id) ? "hidden" : ""].filter(Boolean).join(", "),
        };
      });
      this.threads = this.desk.board.lines().map(({ shape: it, channel }) => ({
        id: it.id + (channel || ""), shape: it.id, channel, colour: COLOURS[it.colour], chosen: !channel && store.picked.has(it.id),
        name: { form: "form", placement: "placement", settings: "soft edge", reach: "reach per point" }[channel] || it.name + (it.kind === "group" ? " (group)" : store.stack().find((l) => l.shape === it.id)?.mode === "cut" ? " (cuts)" : ""),
        folds: !channel && it.kind !== "group", riding: !channel && store.shapes.has(it.group),
        opened: this.desk.board.opened.has(it.id),
      }));
      this.hasStrip = this.desk.board.hasStrip;
      this.shape = shape && { id: shape.id, name: shape.name, profile: shape.profile, blur: shape.blur, each: Boolean(shape.reaches), points: shape.curves.length, keys: shape.form.length, allKeys: shape.form.length + shape.placement.length, grouped: Boolean(shape.group), colour: shape.colour };
      this.some = store.pointCount;
      this.syncMore();
      this.syncFringes();
      this.syncCarrying();
      this.syncChecking();
      this.key = this.pickedKey();
      if (!shape) return;
      this.liveSays = shape.live.length ? shape.live.map(([a, b]) => (a === b ? `${a}` : `${a}-${b}`)).join(", ") : "always";
      this.soft = store.soft(shape);
      this.syncProfile(shape);
      const place = store.placement(shape);
      this.place = { x: place.x.toFixed(2), y: place.y.toFixed(2), turn: place.turn.toFixed(2), size: (place.size * 100).toFixed(2) };
    },

    // The key that is picked on the thread board, if its shape still has it.
    pickedKey() {
      const { key } = this.desk.board;
      const shape = key && this.desk.store.shapes.get(key.shape);
      const there = shape && shape[key.channel].find((k) => k.frame === key.frame);
      return there ? { ...key, many: this.desk.board.keys.length, name: shape.name, kind: ["hold", "straight", "flowing"][there.kind], parts: there.full ? "all" : there.parts.length } : null;
    },
    setKeyKind(event) {
      const kind = event.target.value;
      if (this.mayTrace) this.desk.edits.pushAll(`made keys ${kind}`, this.desk.board.keys.map((key) => ({ do: "key kind", ...key, kind })));
    },
    takeKey() {
      this.desk.takeAway();
    },

    play() {
      this.desk.player.toggle(1);
    },
    liveStart() {
      this.desk.live(startHere);
    },
    liveEnd() {
      this.desk.live(endHere);
    },
    liveOff() {
      this.desk.live(offHere);
    },
    liveAlways() {
      this.desk.live(() => []);
    },
    swapKind() {
      this.desk.pointKind("swap");
    },
    sharp() {
      this.desk.pointKind("sharp");
    },
    removePoints() {
      this.desk.takeAway();
    },

    tell(text) {
      this.said = text;
      clearTimeout(this.hush);
      this.hush = setTimeout(() => (this.said = ""), 7000);
    },

    bye() {
      this.said = "";
    },

    setStep(step) {
      this.desk.setStep(step);
    },
    setLook(look) {
      this.desk.store.set("look", look);
    },
    fit() {
      this.desk.stage.fit();
    },
    exact() {
      this.desk.stage.exact();
    },
    back() {
      this.desk.store.go(this.frame - 1);
    },
    on() {
      this.desk.store.go(this.frame + 1);
    },
    typedFrame(event) {
      this.desk.store.go(Number.parseInt(event.target.value, 10));
      event.target.value = this.desk.store.frame;
    },
    ellipse() {
      this.desk.startTracing("ellipse");
    },
    box() {
      this.desk.startTracing("box");
    },
    up() {
      this.desk.reorder(1);
    },
    down() {
      this.desk.reorder(-1);
    },
    paintIn(colour) {
      this.send({ do: "look", shape: this.shape.id, colour });
    },
    setGround(event) {
      this.desk.store.set("ground", event.target.value);
    },
    trace() {
      if (this.drawing) this.desk.stopTracing();
      else this.desk.startTracing();
    },
    undoIt() {
      this.desk.edits.turn("undo");
    },
    redoIt() {
      this.desk.edits.turn("redo");
    },
    takeMine() {
      this.desk.edits.takeMine();
    },
    dropMine() {
      this.desk.edits.dropMine();
    },
    openThread(line) {
      this.desk.board.open(line.shape);
    },
    choose(line, event) {
      this.desk.store.choose(line.shape, [], event.shiftKey);
    },

    send(command) {
      if (this.mayTrace) this.desk.edits.push(command);
    },
    setMode(line, event) {
      const [mode, outside] = event.target.value.split(" ");
      this.send({ do: "entry", entry: line.id, mode, inverted: Boolean(outside) });
    },
    rename(event) {
      const name = event.target.value.trim();
      if (name && this.shape && name !== this.shape.name) this.send({ do: "look", shape: this.shape.id, name });
      else if (this.shape) event.target.value = this.shape.name;
    },
    oneReach() {
      this.desk.edits.pushAll("gave shapes one reach", this.desk.store.editable.filter((s) => s.reaches).map((s) => ({ do: "one reach", shape: s.id })));
    },
    setBlur(event) {
      this.send({ do: "look", shape: this.shape.id, blur: event.target.checked });
    },
    removeShape() {
      if (this.shape) this.send({ do: "remove", shape: this.shape.id });
    },
    softSlide(name, event) {
      this.desk.soften({ [name]: Number(event.target.value) }, false);
    },
    softSet(name, event) {
      const value = Number(event.target.value);
      if (event.target.value === "" || !Number.isFinite(value)) return this.sync();
      this.desk.soften({ [name]: value }, true);
    },
    placeSet(name, event) {
      const value = Number(event.target.value);
      if (event.target.value !== "") this.desk.placeAt({ [name]: name === "size" ? value / 100 : value });
      this.sync();
    },
    setShutter(event) {
      const angle = Math.min(360, Math.max(0, Number(event.target.value) || 0));
      this.send({ do: "shutter", angle, phase: this.centred ? null : this.phase });
    },
    setCentred(event) {
      this.send({ do: "shutter", angle: this.shutter, phase: event.target.checked ? null : -this.shutter / 2 });
    },
    setPhase(event) {
      this.send({ do: "shutter", angle: this.shutter, phase: Math.min(360, Math.max(-360, Number(event.target.value) || 0)) });
    },
    get exposure() {
      const seconds = this.shutter / 360 / (this.desk?.store.shot.rate || 24);
      return seconds ? `1/${Math.round(1 / seconds)} s` : "none";
    },

    setMatte(event) {
      this.desk.store.turnTo(event.target.value);
    },
    shiftMatte(event) {
      const shift = Number(event.target.value);
      if (event.target.value !== "" && Number.isFinite(shift)) this.send({ do: "shift matte", matte: this.matte, frame: this.frame, shift });
    },
    unshiftMatte() {
      this.send({ do: "shift matte", matte: this.matte, frame: this.frame });
    },
    invertMatte(event) {
      this.send({ do: "matte", matte: this.matte, inverted: event.target.checked });
    },
    newMatte() {
      const name = prompt("Name of the new matte");
      if (!name) return;
      const matte = crypto.randomUUID();
      this.desk.edits.push({ do: "new matte", matte, name }).then(() => this.desk.store.turnTo(matte));
    },
    renameMatte() {
      const now = this.mattes.find((m) => m.id === this.matte);
      const name = now && prompt("Name of the matte", now.name);
      if (name && name !== now.name) this.send({ do: "matte", matte: this.matte, name });
    },
    copyMatte() {
      const now = this.mattes.find((m) => m.id === this.matte);
      const name = now && prompt("Name of the copy", `${now.name} 2`);
      if (!name) return;
      const matte = crypto.randomUUID();
      this.desk.edits.push({ do: "copy matte", matte, of: now.id, name }).then(() => this.desk.store.turnTo(matte));
    },
    removeMatte() {
      const now = this.mattes.find((m) => m.id === this.matte);
      if (now && confirm(`Remove the matte ${now.name}? Its shapes stay in the shot; undo brings it back.`)) this.send({ do: "remove matte", matte: this.matte });
    },
    async takeIn(event) {
      const body = new FormData();
      body.append("file", event.target.files[0]);
      body.append("frame", this.desk.store.frame);
      event.target.value = "";
      try {
        const { id, report } = await post(`/shots/${this.desk.store.shot.id}/document`, body);
        await this.desk.refresh();
        this.desk.store.turnTo(id);
        this.tell(report.join(" "));
      } catch (error) {
        this.tell(`Not taken in. ${error.message}`);
      }
    },
    get documentUrl() {
      return this.matte ? `/api/shots/${this.desk.store.shot.id}/mattes/${this.matte}/document` : "#";
    },

    get svgUrl() {
      return this.matte ? `/api/shots/${this.desk.store.shot.id}/mattes/${this.matte}/svg` : "#";
    },
    get frameSvgUrl() {
      return `${this.svgUrl}?frame=${this.frame}`;
    },

    openKeys() {
      this.search = this.changing = this.keySays = "";
      this.findKeys();
      document.getElementById("keys").showModal();
    },
    closeKeys() {
      document.getElementById("keys").close();
    },
    findKeys() {
      const words = this.search.toLowerCase().split(" ").filter(Boolean);
      const rows = this.table.map((act) => ({ id: act.id, fixed: Boolean(act.fixed), says: act.says, group: act.group, keys: act.keys.map(nameOf).join(", or ") }));
      this.keyRows = rows.filter((row) => words.every((w) => `${row.says} ${row.group} ${row.keys}`.toLowerCase().includes(w)));
    },
  };
}
