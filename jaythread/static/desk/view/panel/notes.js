// Notes on frames and places: a list that leads to their frames.

import { part } from "./component.js";

export const notes = part(() => ({
  notes: [], open: 0, adding: false, text: "", to: "", last: "", people: [],

  connected(desk) {
    desk.notes.addEventListener("state", () => this.sync());
  },
  sync() {
    const { notes: all, store } = this.desk;
    this.notes = all.all.map((n) => ({ ...n, here: n.frame <= store.view.frame && store.view.frame <= (n.last ?? n.frame), when: n.last === null ? `${n.frame}` : `${n.frame}-${n.last}`, told: n.answers.map((a) => `${a.by}: ${a.text}`).join(" / ") }));
    this.open = all.open.length;
    this.adding = store.view.drawing === "note";
    this.people = store.document.people;
  },
  begin() {
    const { view } = this.desk.store;
    if (view.drawing) this.desk.stopTracing();
    view.set("drawing", "note");
  },
  leaveIt() {
    this.desk.stopTracing();
  },
  send(event) {
    event.preventDefault();
    const { store, ways, notes } = this.desk;
    const last = Number(this.last);
    return this.desk.attempt(async () => {
      await notes.add({ text: this.text, frame: store.view.frame, last: this.last !== "" && Number.isFinite(last) ? last : null, strokes: ways.note.strokes, to: this.to });
      Object.assign(this, { text: "", to: "", last: "" });
      this.desk.stopTracing();
    });
  },
  goNote(note) {
    this.desk.store.view.go(note.frame);
  },
  answer(note, event) {
    event.preventDefault();
    const [field] = event.target.elements;
    const text = field.value.trim();
    if (!text) return;
    field.value = "";
    return this.desk.attempt(() => this.desk.notes.answer(note, text));
  },
  noteDone(note) {
    return this.desk.attempt(() => this.desk.notes.mark(note, !note.done));
  },
}));
