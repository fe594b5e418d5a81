// Composed pictures of the current tryout, for the view "in use". One question at a time; what is dragged meanwhile is asked for last.

import { call } from "./api.js";

const KEPT = 24; // pictures of the screen's size

export class InUse extends EventTarget {
  /** @type {Map<string, ImageBitmap>} */
  #kept = new Map();
  #asking = false;
  /** @type {any} */
  #next = null;
  /** @type {{frame: number, picture: ImageBitmap} | null} */
  #shown = null;
  trouble = "";

  /** @param {import("../model/store.js").Store} store */
  constructor(store) {
    super();
    this.store = store;
    this.bright = false; // whether the uppermost line that is seen through a matte is much brighter, so that its seam is seen
    this.wide = () => 960; // px of the picture on the screen, or null for the whole size; told by the composition root
  }

  // The tryout that is looked at: the one chosen last, or the first.
  get tryout() {
    const { document, view } = this.store;
    return document.tryouts.find((t) => t.id === view.tryout) || document.tryouts[0] || null;
  }

  get #name() {
    const { document, view } = this.store;
    return `${this.tryout?.id}/${document.revision}/${view.frame}/${this.wide()}/${this.bright}`;
  }

  get #seam() {
    return this.tryout?.lines.findLast((line) => line.through && !line.hidden)?.id || "";
  }

  // Its seam bright, or as it is again.
  turnBright() {
    this.bright = !this.bright;
    this.dispatchEvent(new Event("loaded"));
  }

  current() {
    if (!this.tryout) return null;
    const { frame } = this.store.view;
    const found = this.#kept.get(this.#name);
    if (found && !this.store.pending.any) this.#shown = { frame, picture: found };
    else if (!found) this.#ask(null);
    return this.#shown?.frame === frame ? this.#shown.picture : null;
  }

  // While points, or a whole shape, are dragged: the picture with the change laid on it.
  draft(command) {
    if (this.tryout) this.#ask(command);
  }

  #ask(command) {
    const wanted = { command, name: this.#name, frame: this.store.view.frame, tryout: this.tryout?.id, width: this.wide(), bright: this.bright ? this.#seam : "" };
    if (this.#asking) this.#next = wanted;
    else this.#send(wanted);
  }

  async #send(wanted) {
    this.#asking = true;
    try {
      const body = { frame: wanted.frame, width: wanted.width, draft: wanted.command, bright: wanted.bright };
      const reply = await call("POST", `/shots/${this.store.document.shot.id}/tryouts/${wanted.tryout}/picture`, body);
      const picture = await createImageBitmap(await reply.blob());
      this.trouble = "";
      if (!wanted.command) this.#keep(wanted.name, picture);
      if (wanted.frame === this.store.view.frame) this.#shown = { frame: wanted.frame, picture };
    } catch (error) {
      this.trouble = error.message;
      this.#kept.delete(wanted.name);
      this.#shown = null;
    }
    this.#asking = false;
    this.dispatchEvent(new Event("loaded"));
    const next = this.#next;
    this.#next = null;
    if (next && next.name === this.#name) this.#send(next);
    else if (next && this.store.view.mode === "in use") this.current();
  }

  #keep(name, picture) {
    this.#kept.set(name, picture);
    while (this.#kept.size > KEPT) this.#kept.delete(this.#kept.keys().next().value ?? "");
  }
}
