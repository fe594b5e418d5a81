// The matte and its stack: read as a sentence from the bottom up. With many lines it folds to one, the chosen shape's, and opens over the
// picture.

import { focusWhenShown } from "../../../focus.js";
import { COLOURS } from "../../glyphs/outlines.js";
import { newId, post } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { dialog, part } from "./component.js";

const FEW = 3; // lines that stand in the panel without folding

export const stack = part(() => ({
  lines: [], mattes: [], matte: "", inverted: false, shift: 0, shiftKeys: [], lens: 0, lensKeys: [], lensKind: "bell", sentence: "", elsewhere: [], brought: [], over: "", opened: false, sought: "", shots: [], toShot: "", toFrame: "",

  connected(desk) {
    desk.findShape = () => this.find();
  },
  sync() {
    const { store, thumbnails } = this.desk;
    const { document, selection, view } = store;
    const matte = selection.matteNow;
    const combine = document.modes.filter((mode) => !mode.solves);
    const solve = document.modes.filter((mode) => mode.solves).map((mode) => mode.key);
    const ways = [...combine.map(({ key, offer }) => ({ value: key, offer })), ...combine.map(({ key, outside }) => ({ value: `${key} outside`, offer: outside }))];
    Object.assign(this, {
      mattes: document.mattes.map((m) => ({ id: m.id, name: m.name })), matte: selection.matte || "", inverted: Boolean(matte?.inverted),
      shift: matte?.shifts?.[view.frame - document.shot.first] ?? 0, shiftKeys: (matte?.shift || []).map(([frame]) => frame),
      lens: matte?.lenses?.[view.frame - document.shot.first] ?? 0, lensKeys: (matte?.lens || []).map(([frame]) => frame), lensKind: matte?.lensKind || "bell",
      sentence: matte?.sentence || "", shots: [...document.shots], brought: [...document.brought],
    });
    this.lines = selection.lines().map((line, at) => {
      const it = document.shapes.get(line.shape);
      return {
        id: line.id, picture: thumbnails.pictures[at] || "", shape: it.id, name: it.name, colour: COLOURS[it.colour],
        way: line.mode + (line.inverted ? " outside" : ""), ways: solve.includes(line.mode) ? [...ways, { value: line.mode, offer: document.modes.find((m) => m.key === line.mode).offer }] : ways, inner: Boolean(line.within), chosen: selection.has(it.id),
        live: document.isLive(it, view.frame) || it.kind === "group", last: selection.chosen === it.id,
        told: [it.locked ? "locked" : "", view.hiddenShapes.has(it.id) ? "hidden" : ""].filter(Boolean).join(", "),
      };
    });
    const there = new Set(selection.stack().map((line) => line.shape));
    this.elsewhere = [...document.shapes.values()].filter((s) => s.kind !== "group" && !there.has(s.id)).map((s) => ({ id: s.id, name: s.name }));
  },

  get folds() {
    return this.lines.length > FEW;
  },
  // The lines that are shown: all of them, or that of the chosen shape.
  get shown() {
    const words = this.opened ? this.sought.toLowerCase().trim() : "";
    return !this.folds || this.opened ? this.lines.filter((line) => line.name.toLowerCase().includes(words)) : this.lines.filter((line) => line.last).slice(0, 1);
  },
  get unfoldSays() {
    if (this.opened) return "Fold the stack";
    return this.folds ? `All ${this.lines.length} lines of the stack` : "More of the stack";
  },
  toggle() {
    this.opened = !this.opened;
  },
  close() {
    this.opened = false;
    this.sought = "";
  },
  find() {
    if (this.lines.length <= FEW) return this.tell("There are so few shapes here that all their names are in sight.");
    this.opened = true;
    this.sought = "";
    focusWhenShown(document.getElementById("find"));
  },
  // The first shape that is found comes to hand.
  chooseFound() {
    const [found] = this.shown;
    if (!found) return this.tell(`No shape of this matte is called ${this.sought}.`);
    this.desk.store.selection.choose(found.shape);
    this.close();
  },

  choose(line, event) {
    this.desk.store.selection.choose(line.shape, [], event.shiftKey);
  },
  setMode(line, event) {
    const [mode, outside] = event.target.value.split(" ");
    this.send(edit.entry({ entry: line.id, mode, inverted: Boolean(outside) }));
  },
  addLine(event) {
    const shape = event.target.value;
    event.target.value = "";
    if (shape) this.send(edit.addLine({ entry: newId(), matte: this.matte, shape }));
  },
  // A matte from elsewhere becomes the lowest line: what stands above corrects it.
  layUnder(event) {
    const found = this.brought.find((b) => String(b.id) === event.target.value);
    event.target.value = "";
    if (found) this.send(edit.bringLine({ shape: newId(), entry: newId(), matte: this.matte, brought: found.id, name: found.name }));
  },
  dropLine() {
    const line = this.lines.find((l) => l.last);
    if (line) this.send(edit.dropLine({ entry: line.id }));
  },
  // A line of the stack is dragged to another place in it.
  lineDown(line, event) {
    if (!this.mayTrace || event.button) return;
    const from = event.clientY;
    const at = (e) => document.elementFromPoint(e.clientX, e.clientY)?.closest("[data-line]")?.getAttribute("data-line") || "";
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

  setMatte(event) {
    this.desk.store.selection.turnTo(event.target.value);
  },
  shiftMatte(event) {
    const shift = Number(event.target.value);
    if (event.target.value !== "" && Number.isFinite(shift)) this.send(edit.shiftMatte({ matte: this.matte, frame: this.frame, shift }));
  },
  unshiftMatte() {
    this.send(edit.shiftMatte({ matte: this.matte, frame: this.frame }));
  },
  softenMatte(event) {
    const lens = Number(event.target.value);
    if (event.target.value !== "" && Number.isFinite(lens)) this.send(edit.softenMatte({ matte: this.matte, frame: this.frame, lens }));
  },
  unsoftenMatte() {
    this.send(edit.softenMatte({ matte: this.matte, frame: this.frame }));
  },
  setLensKind(event) {
    this.send(edit.matte({ matte: this.matte, lens_kind: event.target.value }));
  },
  invertMatte(event) {
    this.send(edit.matte({ matte: this.matte, inverted: event.target.checked }));
  },
  get matteName() {
    return this.mattes.find((m) => m.id === this.matte)?.name;
  },
  newMatte() {
    const name = prompt("Name of the new matte");
    if (name) this.made(newId(), (matte) => edit.newMatte({ matte, name }));
  },
  copyMatte() {
    const name = this.matteName && prompt("Name of the copy", `${this.matteName} 2`);
    if (name) this.made(newId(), (matte) => edit.copyMatte({ matte, of: this.matte, name }));
  },
  made(matte, command) {
    this.desk.edits.push(command(matte)).then(() => this.desk.store.selection.turnTo(matte));
  },
  renameMatte() {
    const name = this.matteName && prompt("Name of the matte", this.matteName);
    if (name && name !== this.matteName) this.send(edit.matte({ matte: this.matte, name }));
  },
  matteToShot() {
    Object.assign(this, { toShot: String(this.shots[0].id), toFrame: "" });
    dialog("matte-to-shot").showModal();
  },
  closeToShot() {
    dialog("matte-to-shot").close();
  },
  async copyMatteThere() {
    const begin = this.toFrame === "" ? {} : { begin: Math.round(Number(this.toFrame)) };
    this.closeToShot();
    const there = await this.desk.attempt(() => post(`/shots/${this.desk.store.document.shot.id}/mattes/${this.matte}/copies`, { shot: Number(this.toShot), ...begin }));
    if (there) this.tell(`${there.shot} has the matte ${there.matte} now, with all its shapes.`);
  },
  removeMatte() {
    const sure = this.matteName && confirm(`Remove the matte ${this.matteName}? Its shapes stay in the shot; undo brings it back.`);
    if (sure) this.send(edit.removeMatte({ matte: this.matte }));
  },
  async takeIn(event) {
    const [file] = event.target.files;
    event.target.value = "";
    await this.takeInFrom(file);
  },
  // begin: the frame that the first one of a document comes to; it is asked for where the document has none of this shot.
  async takeInFrom(file, begin = null) {
    const { document, selection, view } = this.desk.store;
    const body = new FormData();
    body.append("file", file);
    body.append("frame", view.frame);
    if (begin !== null) body.append("begin", begin);
    try {
      const { id, report } = await post(`/shots/${document.shot.id}/document`, body);
      await this.desk.news.ask();
      selection.turnTo(id);
      this.tell(report.join(" "));
    } catch (error) {
      const said = error.body?.code === "other_numbers" ? prompt(error.message, String(document.shot.first)) : null;
      if (said !== null && Number.isInteger(Number(said))) return this.takeInFrom(file, Number(said));
      this.tell(`Not taken in. ${error.message}`);
    }
  },
  url(what) {
    return this.matte ? `/api/shots/${this.desk.store.document.shot.id}/mattes/${this.matte}/${what}` : "#";
  },
  get documentUrl() {
    return this.url("document");
  },
  get svgUrl() {
    return this.url("svg");
  },
  get frameSvgUrl() {
    return this.url(`svg?frame=${this.frame}`);
  },
  closeMenu(event) {
    event.currentTarget.closest("details").open = false;
  },
}));
