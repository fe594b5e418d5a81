// The clip under the cut-out: another shot's plate, its pictures kept ahead for stepping and playing. Which of its frames stands beside
// which of this shot's, the server says.

import { get } from "./api.js";

const KEPT = 48; // pictures: 3.7 MB each decoded
const AHEAD = 12; // frames that are fetched before they are looked at

export class ClipPictures extends EventTarget {
  /** @type {Map<number, ImageBitmap>} */
  #kept = new Map(); // by the clip's own frame, the one looked at last at the end
  #loading = new Set();
  /** @type {number[]} */
  #frames = []; // of the clip, beside those of the shot
  #name = "";

  /** @param {import("../model/store.js").Store} store @param {(plate: {id: number, version: string}, frame: number) => string} url */
  constructor(store, url) {
    super();
    this.store = store;
    this.url = url;
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.#follow());
  }

  // The clip that is chosen, as the server knows its plate.
  get clip() {
    const { document, view } = this.store;
    return (view.ground === "clip" && view.clip && document.clips.find((c) => c.id === view.clip?.plate)) || null;
  }

  // The picture beside the frame that is looked at, if it is here.
  get now() {
    const { document, view } = this.store;
    return this.clip ? this.#kept.get(this.#frames[view.frame - document.shot.first]) || null : null;
  }

  async #follow() {
    const { clip } = this;
    const { document, view } = this.store;
    if (!clip || !view.clip) return;
    const { plate, begin, reverse } = view.clip;
    const name = `${plate}/${clip.version}/${begin ?? ""}/${reverse}`;
    if (name !== this.#name) {
      this.#name = name;
      this.#forget(0);
      const from = begin === null ? "" : `&begin=${begin}`;
      try {
        const told = await get(`/shots/${document.shot.id}/clips/${plate}?reverse=${reverse}${from}`);
        if (name !== this.#name) return;
        this.#frames = told.frames;
      } catch (error) {
        this.#name = "";
        this.dispatchEvent(new CustomEvent("trouble", { detail: error.message }));
        return;
      }
    }
    const at = view.frame - document.shot.first;
    for (const frame of new Set(this.#frames.slice(at, at + AHEAD))) await this.#load(clip, frame, name);
  }

  async #load(clip, frame, name) {
    if (this.#kept.has(frame) || this.#loading.has(frame)) return;
    this.#loading.add(frame);
    try {
      const reply = await fetch(this.url(clip, frame));
      if (!reply.ok) return;
      const bitmap = await createImageBitmap(await reply.blob());
      if (name !== this.#name) return bitmap.close();
      this.#kept.set(frame, bitmap);
      this.#forget(KEPT);
      this.dispatchEvent(new Event("loaded"));
    } catch {
      /* asked again when the frame is looked at next */
    } finally {
      this.#loading.delete(frame);
    }
  }

  #forget(most) {
    while (this.#kept.size > most) {
      const [frame, bitmap] = this.#kept.entries().next().value;
      bitmap.close();
      this.#kept.delete(frame);
    }
  }
}
