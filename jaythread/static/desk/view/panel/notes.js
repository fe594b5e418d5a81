// Notes on frames and places: a list that leads to their frames.

import { part } from "./component.js";

function standsOf(note) {
  if (note.state === "open") return "";
  const by = note.settled_by ? `, ${note.settled_by}` : "";
  return note.state === "done" ? `done${by}${note.version ? `, in ${note.version}` : ", for the next package"}` : `not done${by}: ${note.reason}`;
}

export const notes = part(() => ({
  notes: [], open: 0, adding: false, text: "", to: "", last: "", people: [], pasted: "", why: 0, reason: "",

  connected(desk) {
    desk.notes.addEventListener("state", () => this.sync());
  },
  sync() {
    const { notes: all, store } = this.desk;
    this.notes = all.all.map((n) => ({ ...n, here: n.frame <= store.view.frame && store.view.frame <= (n.last ?? n.frame), when: n.last === null ? `${n.frame}` : `${n.frame}-${n.last}`, told: n.answers.map((a) => `${a.by}: ${a.text}`).join(" / "), off: n.state !== "open", stands: standsOf(n), picture: `/shots/${store.document.shot.id}/notes/${n.id}/picture.jpg` }));
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
      await notes.add({ text: this.text, frame: store.view.frame, last: this.last !== "" && Number.isFinite(last) ? last : null, strokes: ways.note.strokes, to: this.to }, this.file);
      Object.assign(this, { text: "", to: "", last: "" });
      this.unpaste();
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
  // A picture out of the clipboard goes with the note.
  paste(event) {
    const [file] = [...event.clipboardData.files].filter((f) => f.type.startsWith("image/"));
    if (!file) return;
    event.preventDefault();
    this.unpaste();
    this.file = file;
    this.pasted = URL.createObjectURL(file);
  },
  unpaste() {
    if (this.pasted) URL.revokeObjectURL(this.pasted);
    this.file = null;
    this.pasted = "";
  },
  noteDone(note) {
    return this.desk.attempt(() => this.desk.notes.settle(note, note.state === "open" ? "done" : "open"));
  },
  askWhy(note) {
    this.why = this.why === note.id ? 0 : note.id;
    this.reason = "";
  },
  notDone(note, event) {
    event.preventDefault();
    return this.desk.attempt(async () => {
      await this.desk.notes.settle(note, "not done", this.reason);
      this.why = 0;
    });
  },
}));
