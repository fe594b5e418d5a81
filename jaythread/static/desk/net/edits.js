// Edits go out one after the other and are kept in the browser until the server has them. Nothing is lost with the connection.

import { Answer, get, newId, post } from "./api.js";

export class Edits extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.key = `jaythread-edits-${store.shot.id}`;
    this.waiting = JSON.parse(localStorage.getItem(this.key) || "[]");
    this.refused = [];
    this.sending = false;
    this.offline = false;
    addEventListener("beforeunload", (e) => {
      if (this.waiting.length) e.preventDefault();
    });
    if (this.waiting.length) this.run();
  }

  get state() {
    if (this.offline) return "unsaved, no connection";
    return this.waiting.length ? "saving" : "all saved";
  }

  keep() {
    localStorage.setItem(this.key, JSON.stringify(this.waiting));
    this.dispatchEvent(new Event("state"));
  }

  push(command) {
    this.waiting.push({ id: newId(), path: "edits", command });
    if (command.shape) this.store.stale.add(command.shape);
    this.keep();
    return this.run();
  }

  turn(way) {
    this.waiting.push({ id: newId(), path: way });
    this.keep();
    return this.run();
  }

  async run() {
    if (this.sending) return;
    this.sending = true;
    while (this.waiting.length) {
      const edit = this.waiting[0];
      try {
        const shape = edit.command && this.store.shapes.get(edit.command.shape);
        const body = { id: edit.id, command: edit.command, base: shape && !edit.force ? shape.revision : null };
        const answer = await post(`/shots/${this.store.shot.id}/${edit.path}`, body);
        this.waiting.shift();
        this.offline = false;
        this.keep();
        this.store.take(answer);
        this.dispatchEvent(new CustomEvent("done", { detail: answer.says }));
      } catch (error) {
        if (error instanceof Answer && error.status < 500) {
          this.waiting.shift();
          if (error.status === 409 && edit.command) this.refused.push(edit);
          this.keep();
          this.store.take(await get(`/shots/${this.store.shot.id}/desk`));
          this.dispatchEvent(new CustomEvent("refused", { detail: error.message }));
        } else {
          this.offline = true;
          this.keep();
          await new Promise((wake) => setTimeout(wake, 1500));
        }
      }
    }
    this.sending = false;
    this.keep();
  }

  // 'Your version': what was refused because somebody else had changed the shape; to take or to drop.
  takeMine() {
    for (const edit of this.refused.splice(0)) this.waiting.push({ ...edit, id: newId(), force: true });
    this.keep();
    this.run();
  }

  dropMine() {
    this.refused = [];
    this.keep();
  }
}
