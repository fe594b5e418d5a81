// The step Trace: new outlines, the chosen shape, its points, when it is live.

import { COLOURS } from "../../glyphs/outlines.js";
import { endHere, offHere, startHere } from "../../model/live.js";
import { newId, post } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { figure, part } from "./component.js";

export const traceStep = part(() => ({
  colours: COLOURS.map((value, index) => ({ value, index })), shots: [], locked: false, hiddenHere: false, alone: false, asOne: null,
  mayBeOne: false, opacity: 100, at: ["", ""], liveSays: "", inStack: 0, hintWide: 18,

  sync() {
    const { document, pending, selection, view } = this.desk.store;
    const { shape } = selection;
    this.shots = [...document.shots];
    this.inStack = selection.lines().length;
    this.at = selection.pointCount && selection.editable.length ? pending.middle.map((v) => v.toFixed(2)) : ["", ""];
    if (!shape) return;
    this.locked = Boolean(shape.locked);
    this.hiddenHere = view.hiddenShapes.has(shape.id);
    this.alone = view.hiddenShapes.alone === shape.id;
    this.asOne = selection.lines().find((line) => line.shape === shape.id) || null;
    this.mayBeOne = shape.kind === "group" && document.carriedBy(shape.id).some((s) => selection.stack().some((line) => line.shape === s.id));
    this.opacity = this.asOne ? Math.round(this.asOne.opacity * 100) : 100;
    this.liveSays = shape.live.length ? shape.live.map(([a, b]) => (a === b ? `${a}` : `${a}-${b}`)).join(", ") : "always";
  },

  trace() {
    if (this.drawing) this.desk.stopTracing();
    else this.desk.startTracing();
  },
  takeFound(correct) {
    this.desk.ways.hints.finish(correct);
  },
  setHintWide(event) {
    this.hintWide = Math.min(100, Math.max(2, Number(event.target.value) || 18));
    this.desk.ways.hints.radius = this.hintWide / 2;
  },
  draw(how) {
    this.desk.startTracing(how);
  },
  rename(event) {
    const name = event.target.value.trim();
    if (name && this.shape && name !== this.shape.name) this.send(edit.appearance({ shape: this.shape.id, name }));
    else if (this.shape) event.target.value = this.shape.name;
  },
  removeShape() {
    this.desk.removeShapes();
  },
  paintIn(colour) {
    this.desk.appearance({ colour });
  },
  lock() {
    this.desk.lock();
  },
  hide() {
    this.desk.hideShapes();
  },
  showAlone() {
    this.desk.showAlone();
  },
  duplicate() {
    this.desk.duplicate();
  },
  redraw() {
    this.desk.redraw();
  },
  align(how) {
    this.desk.align(how);
  },
  snap() {
    this.desk.snap();
  },
  mirror(angle, whole) {
    this.desk.mirror(angle, whole);
  },
  mirrorAboutPoints() {
    this.desk.mirrorAboutPoints();
  },
  chooseLike(what) {
    this.desk.chooseLike(what);
  },
  reopen() {
    this.desk.reopen();
  },
  up() {
    this.desk.reorder(1);
  },
  down() {
    this.desk.reorder(-1);
  },
  async copyTo(event) {
    const shot = Number(event.target.value);
    event.target.value = "";
    const { document, selection } = this.desk.store;
    const { shape } = selection;
    if (!shot || !shape) return;
    try {
      const there = await post(`/shots/${document.shot.id}/shapes/${shape.id}/copies`, { shot });
      this.tell(`${shape.name} is now in the matte ${there.matte} of ${there.shot} too, with all its keys.`);
    } catch (error) {
      this.tell(`Not copied. ${error.message}`);
    }
  },

  combineAsOne() {
    this.send(edit.addLine({ entry: newId(), matte: this.desk.store.selection.matte, shape: this.shape.id }));
  },
  combineOneByOne() {
    this.send(edit.dropLine({ entry: this.asOne.id }));
  },
  setLineOpacity(event) {
    const opacity = Math.min(100, Math.max(0, Number(event.target.value) || 0)) / 100;
    this.send(edit.entry({ entry: this.asOne.id, opacity }));
  },

  // The chosen points to a place by figures: x or y of their middle.
  pointSet(axis, event) {
    const value = figure(event);
    const { middle } = this.desk.store.pending;
    if (value === null) return this.sync();
    this.desk.nudge(axis ? 0 : value - middle[0], axis ? value - middle[1] : 0);
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
}));
