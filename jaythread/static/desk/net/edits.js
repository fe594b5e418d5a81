// Edits go out one after the other and are kept in the browser until the server has them. Nothing is lost with the connection.
// Each carries the revisions of the shapes it was made on, so that what somebody else did meanwhile is never overwritten unseen.

import { Answer, get, newId, post } from "./api.js";
import { edit } from "./commands.js";

const AGAIN = 1500; // ms between two tries without a connection
const SIGNED = 5000; // ms between two tries while nobody is signed in
const TRIES = 3; // of an edit that the server breaks down on: then the others go on without it
const AWAY = [502, 503, 504]; // said by what stands before a server that is not there

function shapesOf(edit) {
  if (!edit.command) return [];
  return partsOf(edit.command).map((c) => c.shape || c.track).filter(Boolean);
}

const TRACED = ["trace", "freehand", "fringe", "retrace"]; // commands that hold what a hand has drawn

const partsOf = (command) => (command?.do === "together" ? command.commands : command ? [command] : []);

// A refused act that made a matte for its shape, when somebody has made one of that name by now: the same act, in theirs.
function inTheirMatte({ command }, mattes) {
  const parts = partsOf(command);
  const made = parts.find((c) => c.do === "new matte");
  const theirs = made && mattes.find((m) => m.name === made.name && m.id !== made.matte);
  if (!theirs) return null;
  const rest = parts.filter((c) => c !== made).map((c) => (c.matte === made.matte ? { ...c, matte: theirs.id } : c));
  return { id: newId(), path: "edits", base: null, command: rest.length === 1 ? rest[0] : { ...command, commands: rest } };
}

export class Edits extends EventTarget {
  // who: whose page this is; what one person left in a browser is not sent for another one.
  /** @param {import("../model/store.js").Store} store @param {string} who */
  constructor(store, who) {
    super();
    this.store = store;
    this.key = `jaythread-edits-${store.document.shot.id}-${who}`;
    const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
    this.waiting = kept.waiting || [];
    this.refused = kept.refused || [];
    /** @type {Promise<void> | null} */
    this.running = null;
    for (const edit of this.waiting) if (typeof edit.base === "number") edit.base = null; // kept by an older page
    this.sending = false;
    this.offline = false;
    this.signedOut = ""; // what the server says to it
    this.wake = () => {}; // tries again at once
    addEventListener("focus", () => this.signedOut && this.wake());
    /** @type {(picture: any, revision: number) => Promise<void>} */
    this.settle = async () => {}; // told by the composition root: takes the picture that an answer brings
    store.pending.waitsFor = (id) => this.waiting.some((edit) => shapesOf(edit).includes(id));
    addEventListener("beforeunload", (e) => {
      if (this.waiting.length) e.preventDefault();
    });
    if (this.waiting.length) this.run();
  }

  get state() {
    if (this.signedOut) return "unsaved: signed out";
    if (this.offline) return "unsaved: no connection";
    return this.waiting.length ? "saving" : "all saved";
  }

  keep() {
    localStorage.setItem(this.key, JSON.stringify({ waiting: this.waiting, refused: this.refused }));
    this.dispatchEvent(new Event("state"));
  }

  push(command) {
    const edit = { id: newId(), path: "edits", command };
    const known = shapesOf(edit).map((id) => this.store.document.shapes.get(id) || this.store.document.tracks.get(id)).filter((it) => it?.revision);
    edit.base = Object.fromEntries(known.map((shape) => [shape.id, shape.revision]));
    this.waiting.push(edit);
    this.keep();
    return this.run();
  }

  // Several commands as one act; one alone goes as it is.
  /** @param {string} summary @param {object[]} commands */
  pushAll(summary, commands) {
    return this.push(commands.length === 1 ? commands[0] : edit.together({ summary, commands }));
  }

  turn(way) {
    this.waiting.push({ id: newId(), path: way, base: null });
    this.keep();
    return this.run();
  }

  // Sends what waits. Whoever asks while it is sent gets the end of all of it.
  run() {
    return (this.running ||= this.#drain().finally(() => (this.running = null)));
  }

  async #drain() {
    this.sending = true;
    while (this.waiting.length) {
      const edit = this.waiting[0];
      try {
        const { document, selection, view } = this.store;
        const viewed = view.mode === "plate" || !selection.matte ? null : { matte: selection.matte, frame: view.frame };
        const body = { id: edit.id, command: edit.command, base: edit.base, view: viewed };
        const answer = await post(`/shots/${document.shot.id}/${edit.path}`, body);
        if (answer.picture) await this.settle(answer.picture, answer.revision);
        this.waiting.shift();
        this.offline = false;
        this.signedOut = "";
        // what waits behind was made on top of this edit: it stands on the new revision
        for (const shape of [...answer.shapes, ...(answer.tracks || [])]) {
          for (const later of this.waiting) if (later.base && shape.id in later.base) later.base[shape.id] = shape.revision;
        }
        this.keep();
        this.store.document.take(answer);
        this.dispatchEvent(new CustomEvent("done", { detail: answer.summary }));
        if (edit.command) this.dispatchEvent(new CustomEvent("saved", { detail: edit }));
      } catch (error) {
        await this.failed(edit, error);
      }
    }
    this.sending = false;
    this.keep();
  }

  // Without a connection, or with nobody signed in, all waits. An edit on which the server breaks down is tried a few times.
  async failed(edit, error) {
    const status = error instanceof Answer ? error.status : 0;
    const broken = status >= 500 && !AWAY.includes(status);
    if (broken) edit.tries = (edit.tries || 0) + 1;
    if ((broken && edit.tries >= TRIES) || (status && status < 500 && status !== 401)) return this.refuse(edit, error);
    this.signedOut = status === 401 ? error.message : "";
    this.offline = status !== 401 && !broken;
    this.keep();
    await new Promise((wake) => {
      this.wake = () => wake(undefined);
      setTimeout(wake, status === 401 ? SIGNED : AGAIN);
    });
  }

  // A conflict puts the edit, and what was made on top of it, aside as 'your version'; so does any refusal of what a hand has drawn, and an
  // edit on which the server breaks down. Other refusals are said and dropped. Whatever the answer was, the page then shows the server's
  // state.
  async refuse(edit, error) {
    const conflict = (error.status === 409 || error.status >= 500) && edit.command;
    const mine = conflict ? new Set(shapesOf(edit)) : new Set();
    const aside = this.waiting.filter((e) => e === edit || shapesOf(e).some((id) => mine.has(id)));
    this.waiting = this.waiting.filter((e) => !aside.includes(e));
    try {
      this.store.document.takeAll(await get(`/shots/${this.store.document.shot.id}/desk`));
    } catch {
      /* without a connection the present state comes with the next answer */
    }
    const again = inTheirMatte(edit, this.store.document.mattes);
    if (again) this.waiting.unshift(again);
    else if (conflict) this.refused.push(...aside);
    else this.refused.push(...aside.filter((e) => partsOf(e.command).some((c) => TRACED.includes(c.do))));
    this.keep();
    if (!again) this.dispatchEvent(new CustomEvent("refused", { detail: error.message }));
  }

  takeMine() {
    for (const edit of this.refused.splice(0)) this.waiting.push({ ...edit, id: newId(), base: null, tries: 0 });
    this.keep();
    return this.run();
  }

  dropMine() {
    this.refused = [];
    this.keep();
  }
}
