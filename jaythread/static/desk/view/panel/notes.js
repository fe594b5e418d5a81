// Notes on frames and places: a list that leads to their frames.

import { part } from "./component.js";

export const notes = part(() => ({
  notes: [], open: 0,

  connected(desk) {
    desk.notes.addEventListener("state", () => this.sync());
  },
  sync() {
    const { notes: all, store } = this.desk;
    this.notes = all.all.map((n) => ({ ...n, here: n.frame === store.view.frame, told: n.answers.map((a) => `${a.by}: ${a.text}`).join(" / ") }));
    this.open = all.open.length;
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
