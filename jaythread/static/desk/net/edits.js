// Edits go out one after the other and are kept in the browser until the server has them. Nothing is lost with the connection.
// Each carries the revisions of the shapes it was made on, so that what somebody else did meanwhile is never overwritten unseen.

import { Answer, get, newId, post } from "./api.js";

const AGAIN = 1500; // ms between two tries without a connection

function shapesOf(edit) {
  if (!edit.command) return [];
  const parts = edit.command.do === "together" ? edit.command.commands : [edit.command];
  return parts.map((c) => c.shape || c.track).filter(Boolean);
}

export class Edits extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.key = `jaythread-edits-${store.shot.id}`;
    const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
    this.waiting = kept.waiting || [];
    this.refused = kept.refused || [];
    for (const edit of this.waiting) if (typeof edit.base === "number") edit.base = null; // kept by an older page
    this.sending = false;
    this.offline = false;
    this.settle = async () => {}; // told by the composition root: takes the picture that an answer brings
    store.waitsFor = (id) => this.waiting.some((edit) => shapesOf(edit).includes(id));
    addEventListener("beforeunload", (e) => {
      if (this.waiting.length) e.preventDefault();
    });
    if (this.waiting.length) this.run();
  }

  get state() {
    if (this.offline) return "unsaved: no connection";
    return this.waiting.length ? "saving" : "all saved";
  }

  keep() {
    localStorage.setItem(this.key, JSON.stringify({ waiting: this.waiting, refused: this.refused }));
    this.dispatchEvent(new Event("state"));
  }

  push(command) {
    const edit = { id: newId(), path: "edits", command };
    const known = shapesOf(edit).map((id) => this.store.shapes.get(id) || this.store.tracks.get(id)).filter((it) => it?.revision);
    edit.base = Object.fromEntries(known.map((shape) => [shape.id, shape.revision]));
    this.waiting.push(edit);
    this.keep();
    return this.run();
  }

  // Several commands as one act; one alone goes as it is.
  pushAll(says, commands) {
    if (commands.length === 1) return this.push(commands[0]);
    return this.push({ do: "together", says, commands });
  }

  turn(way) {
    this.waiting.push({ id: newId(), path: way, base: null });
    this.keep();
    return this.run();
  }

  async run() {
    if (this.sending) return;
    this.sending = true;
    while (this.waiting.length) {
      const edit = this.waiting[0];
      try {
        const { shot, look, matte, frame } = this.store;
        const body = { id: edit.id, command: edit.command, base: edit.base, look: look === "plate" || !matte ? null : { matte, frame } };
        const answer = await post(`/shots/${shot.id}/${edit.path}`, body);
        if (answer.picture) await this.settle(answer.picture, answer.revision);
        this.waiting.shift();
        this.offline = false;
        // what waits behind was made on top of this edit: it stands on the new revision
        for (const shape of [...answer.shapes, ...(answer.tracks || [])]) {
          for (const later of this.waiting) if (later.base && shape.id in later.base) later.base[shape.id] = shape.revision;
        }
        this.keep();
        this.store.take(answer);
        this.dispatchEvent(new CustomEvent("done", { detail: answer.says }));
      } catch (error) {
        if (error instanceof Answer && error.status < 500) await this.refuse(edit, error);
        else {
          this.offline = true;
          this.keep();
          await new Promise((wake) => setTimeout(wake, AGAIN));
        }
      }
    }
    this.sending = false;
    this.keep();
  }

  // A conflict puts the edit, and what was made on top of it, aside as 'your version'; other refusals are said and dropped.
  async refuse(edit, error) {
    const conflict = error.status === 409 && edit.command;
    const mine = conflict ? new Set(shapesOf(edit)) : new Set();
    const aside = this.waiting.filter((e) => e === edit || shapesOf(e).some((id) => mine.has(id)));
    this.waiting = this.waiting.filter((e) => !aside.includes(e));
    if (conflict) this.refused.push(...aside);
    this.keep();
    try {
      const now = await get(`/shots/${this.store.shot.id}/desk`);
      const there = new Set(now.shapes.map((s) => s.id));
      this.store.take({ ...now, gone: [...this.store.shapes.keys()].filter((id) => !there.has(id)) });
    } catch {
      /* without a connection the present state comes with the next answer */
    }
    this.dispatchEvent(new CustomEvent("refused", { detail: error.message }));
  }

  takeMine() {
    for (const edit of this.refused.splice(0)) this.waiting.push({ ...edit, id: newId(), base: null });
    this.keep();
    return this.run();
  }

  dropMine() {
    this.refused = [];
    this.keep();
  }
}
