// Letting the picture draw between the keys of the chosen shape. Part of the step Carry.

import { isBusy, timeLeft } from "../../model/jobs.js";
import { part } from "./component.js";

const MOST_HARD = 12; // frames that are offered as buttons

export const drawnPart = part(() => ({
  drawable: false, drawnKeys: 0, keyNow: false, drawing: false, drawDone: 0, drawSays: "", drawn: false, unsure: [], inFront: [], mayBeInFront: [],
  aheadBusy: false, aheadSays: "", hard: [],

  connected(desk) {
    desk.drawing.tell = (text) => this.tell(text);
  },
  sync() {
    const { store, drawing } = this.desk;
    const { shape } = store.selection;
    this.drawable = shape?.kind === "closed";
    if (!this.drawable) return;
    const keys = new Set([...shape.form, ...(shape.placement.length > 1 ? shape.placement : [])].map((key) => key.frame));
    this.drawnKeys = keys.size;
    this.keyNow = keys.has(store.view.frame);
    this.drawing = drawing.busy;
    this.drawDone = drawing.job?.percent || 0;
    this.drawSays = drawing.busy ? `Drawing: ${drawing.job.done} of ${drawing.job.total}${timeLeft(drawing.job)}.` : drawing.job?.message || "";
    this.drawn = Boolean(drawing.trackOf(shape));
    this.unsure = drawing.next(shape);
    this.syncAhead(drawing, shape);
    const others = [...store.document.shapes.values()].filter((s) => s.kind === "closed" && s !== shape);
    this.inFront = others.filter((s) => drawing.inFront.includes(s.id)).map(({ id, name }) => ({ id, name }));
    this.mayBeInFront = others.filter((s) => !drawing.inFront.includes(s.id)).map(({ id, name }) => ({ id, name }));
  },

  syncAhead(drawing, shape) {
    const job = drawing.foreseen;
    this.aheadBusy = isBusy(job);
    this.aheadSays = this.aheadBusy ? `Looking: ${job.done} of ${job.total}.` : job?.message || "";
    this.hard = drawing.hard(shape).slice(0, MOST_HARD).map(([frame, why]) => ({ frame, why }));
  },
  lookAhead() {
    return this.desk.drawing.lookAhead();
  },
  drawBetween() {
    return this.desk.drawing.draw({ frame: this.desk.store.view.frame });
  },
  drawOn(way) {
    const { document, view } = this.desk.store;
    return this.desk.drawing.draw({ frame: view.frame, to: document.working[way < 0 ? 0 : 1] });
  },
  stopDrawing() {
    return this.desk.attempt(() => this.desk.drawing.cancel());
  },
  goUnsure(frame) {
    this.desk.store.view.go(frame);
  },
  passesInFront(event) {
    const id = event.target.value;
    event.target.value = "";
    if (id) this.desk.drawing.inFront.push(id);
    this.sync();
  },
  isBehind(shape) {
    const { drawing } = this.desk;
    drawing.inFront = drawing.inFront.filter((id) => id !== shape.id);
    this.sync();
  },
}));
