// Fringes: lines of the stack in which alpha is solved from the plate. Makes them, has them solved on all frames, knows how they stand.

import { get, newId, post } from "./api.js";

const QUIET = 400; // ms without a change before it is asked how a fringe stands
const BUSY = 800; // ms between two looks at work that is going on

export class Fringes extends EventTarget {
  constructor(store, edits, mattes) {
    super();
    Object.assign(this, { store, edits, mattes });
    this.state = null; // of the chosen fringe: {entry, run, solved}
    this.tell = () => {};
    this.colours = { name: "", pieces: [] }; // the subject's own colour on the frame that is looked at
    store.addEventListener("changed", () => this.later(QUIET));
    mattes.addEventListener("loaded", () => this.fetchColours());
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.fetchColours());
  }

  // The line of the present stack that makes a fringe of a shape.
  lineOf(shape) {
    return shape && this.store.stack().find((line) => line.shape === shape.id && line.mode === "solve");
  }

  get chosen() {
    return this.lineOf(this.store.shape);
  }

  // path: where a brush of that radius (plate px) was led; none: the band is the soft edge of the chosen shape.
  make(path, radius) {
    const { store } = this;
    const shape = store.editable.at(-1);
    if (!shape || !store.stack().some((line) => line.shape === shape.id)) return this.tell("Choose the shape whose hair or fuzz is to be solved.");
    const names = new Set([...store.shapes.values()].map((s) => s.name));
    let name = "fringe";
    for (let k = 2; names.has(name); k++) name = `fringe ${k}`;
    const id = newId();
    const band = path ? { path, radius } : {};
    const command = { do: "fringe", shape: id, entry: newId(), matte: store.matte, of: shape.id, name, frame: store.frame, colour: (shape.colour + 1) % 8, ...band };
    store.set("drawing", false);
    return this.edits.push(command).then(() => {
      if (!store.shapes.has(id)) return;
      store.choose(id);
      if (store.look === "plate") store.set("look", "cut-out");
    });
  }

  later(wait) {
    clearTimeout(this.timer);
    const line = this.chosen;
    if (!line) this.state = null;
    else this.timer = setTimeout(() => this.ask(line), wait);
  }

  async ask(line) {
    const { store } = this;
    const name = `${line.id}/${store.revision}`;
    const busy = ["waiting", "working"].includes(this.state?.run.state);
    if (this.state?.name === name && !busy) return;
    if (this.edits.waiting.length || store.dragging.size) return this.later(QUIET);
    try {
      const told = await get(`/shots/${store.shot.id}/fringes/${line.id}`);
      if (this.chosen?.id !== line.id) return;
      const before = this.state?.solved.length;
      this.state = { name, entry: line.id, ...told };
      if (["waiting", "working"].includes(told.run.state)) this.later(BUSY);
      if (before !== undefined && before !== told.solved.length) this.mattes.solvedMore();
      this.dispatchEvent(new Event("state"));
    } catch {
      /* without a connection it is asked with the next change */
    }
  }

  async solveAll() {
    const line = this.chosen;
    if (!line) return;
    await post(`/shots/${this.store.shot.id}/fringes/${line.id}/solve`, {});
    this.state = null;
    await this.ask(line);
  }

  async cancel() {
    await post(`/shots/${this.store.shot.id}/solvings/${this.state.run.id}/cancel`, {});
    this.later(0);
  }

  // The cut-out shows the subject's own colour where hair is thin.
  async fetchColours() {
    const { store, mattes } = this;
    const name = `${mattes.name}/${mattes.fringe}`;
    if (store.look !== "cut-out" || store.playing || store.dragging.size || !["steady", "by itself"].includes(mattes.fringe)) return;
    if (this.colours.name === name) return;
    this.colours = { name, frame: store.frame, pieces: [] };
    try {
      const { pieces } = await get(`/shots/${store.shot.id}/mattes/${store.matte}/colours/${store.frame}`);
      const made = pieces.map(async ({ box, png }) => {
        const bytes = Uint8Array.from(atob(png), (c) => c.charCodeAt(0));
        return { box, bitmap: await createImageBitmap(new Blob([bytes], { type: "image/png" })) };
      });
      const ready = await Promise.all(made);
      if (this.colours.name !== name) return;
      this.colours.pieces = ready;
      this.dispatchEvent(new Event("colours"));
    } catch {
      this.colours = { name: "", pieces: [] };
    }
  }
}
