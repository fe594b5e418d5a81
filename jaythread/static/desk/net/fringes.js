// Fringes: lines of the stack in which alpha is solved from the plate. Makes them, has them solved on all frames, knows how they stand.

import { get, newId } from "./api.js";
import { edit } from "./commands.js";
import { FoundLine } from "./found_line.js";

const SOLVE = "fringe.solve";

export class Fringes extends FoundLine {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits
   *  @param {import("./mattes.js").Mattes} mattes @param {import("./work.js").Work} work */
  constructor(store, edits, mattes, work) {
    super(store, edits, mattes, work, "solve", [SOLVE]);
    /** @type {(text: string) => void} */
    this.tell = () => {};
    this.colours = { name: "", frame: NaN, pieces: [] }; // the subject's own colour on the frame that is looked at
    mattes.addEventListener("loaded", () => this.fetchColours());
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.fetchColours());
  }

  at(line) {
    return `/shots/${this.store.document.shot.id}/fringes/${line.id}`;
  }

  // path: where a brush of that radius (plate px) was led; radii: at each place of it, of a pen; none: the band is the soft edge of the chosen shape.
  make(path, radius, radii = null) {
    const { document, selection, view } = this.store;
    const shape = selection.editable.at(-1);
    const { matte } = selection;
    if (!shape || !matte || !selection.stack().some((line) => line.shape === shape.id)) return this.tell("Choose the shape whose hair or fuzz is to be solved.");
    const id = newId();
    const band = path ? { path, radius, ...(radii ? { radii } : {}) } : {};
    const name = document.freeName("fringe");
    const command = edit.fringe({ shape: id, entry: newId(), matte, of: shape.id, name, frame: view.frame, colour: (shape.colour + 1) % 8, ...band });
    view.set("drawing", false);
    return this.edits.push(command).then(() => {
      if (!document.shapes.has(id)) return;
      selection.choose(id);
      if (view.mode === "plate") view.set("mode", "cut-out");
    });
  }

  // The cut-out shows the subject's own colour where hair is thin.
  async fetchColours() {
    const { mattes } = this;
    const { document, pending, selection, view } = this.store;
    const name = `${mattes.name}/${mattes.fringe}`;
    if (view.mode !== "cut-out" || view.playing || pending.dragging.size || !["steady", "by itself"].includes(mattes.fringe)) return;
    if (this.colours.name === name) return;
    this.colours = { name, frame: view.frame, pieces: [] };
    try {
      const { pieces } = await get(`/shots/${document.shot.id}/mattes/${selection.matte}/colours/${view.frame}`);
      const made = pieces.map(async ({ box, png }) => {
        const bytes = Uint8Array.from(atob(png), (c) => c.charCodeAt(0));
        return { box, bitmap: await createImageBitmap(new Blob([bytes], { type: "image/png" })) };
      });
      const ready = await Promise.all(made);
      if (this.colours.name !== name) return;
      this.colours.pieces = ready;
      this.dispatchEvent(new Event("colours"));
    } catch {
      this.colours = { name: "", frame: NaN, pieces: [] };
    }
  }
}
