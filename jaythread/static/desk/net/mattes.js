// Mattes from the core: of the present revision at rest, of what is being dragged meanwhile. One question at a time.

import { bounds, union } from "../geom/outline.js";
import { BELL_ENDS } from "../model/pending.js";
import { call } from "./api.js";

const KEPT = 16; // mattes: 8 MB each at full HD
const REST = 350; // ms on a frame before its fringes are solved for it alone
const MARGIN = 4; // px around the touched box, beyond the reach

// How many steps of the exposure a matte was made from; a + says that more were wanted.
function words(samples, quick) {
  const count = Number.parseInt(samples, 10);
  const kind = !samples.endsWith("+") ? "" : quick ? ", quick look" : ", the most that the shutter's cap allows";
  return `${count === 1 ? "1 moment" : `${count} moments`} a frame${kind}`;
}

export class Mattes extends EventTarget {
  /** @param {import("../model/store.js").Store} store */
  constructor(store) {
    super();
    this.store = store;
    this.kept = new Map();
    this.shown = null; // the matte shown last, of whichever revision
    this.over = null; // the same with a drag laid on it
    this.asking = false;
    this.again = null;
    this.fringe = "none"; // how the shown matte's fringes stand: none, steady, by itself, not solved
    /** @type {(command: any) => void} */
    this.elsewhere = () => {}; // told by the composition root: what a drag changes in the view "in use"
    this.says = ""; // how many steps of the exposure the shown matte was made from
  }

  get name() {
    const { document, selection, view } = this.store;
    return `${selection.matte}/${document.revision}/${view.frame}`;
  }

  // The matte of the present frame as a canvas whose alpha is the matte; asks for it when it is not here.
  current() {
    const { frame } = this.store.view;
    const canvas = this.kept.get(this.name);
    if (canvas) this.shown = { frame, canvas };
    else if (this.store.selection.matte) this.ask(null, null);
    const over = this.over && this.over.frame === frame && (!canvas || (this.over.name === this.name && this.store.pending.any));
    if (over) return this.over.canvas;
    return this.shown && this.shown.frame === frame ? this.shown.canvas : null;
  }

  // The matte of any name on the present frame, once it is here; asks for it. While dragging the present one only.
  of(matte) {
    if (matte === this.store.selection.matte) return this.current();
    const { document, view } = this.store;
    const name = `${matte}/${document.revision}/${view.frame}`;
    const canvas = this.kept.get(name);
    if (!canvas && !this.asking) this.send({ command: null, box: null, solve: false, name, frame: view.frame, matte });
    return canvas || null;
  }

  // While dragging: the touched box, with the change laid on it, at most as often as answers come. Nothing is asked in the plate's view.
  // drafts: the dragged shapes with their outlines before and now.
  draft(command, drafts) {
    if (!this.store.selection.matte || this.store.view.mode === "plate") return;
    if (this.store.view.mode === "in use") return this.elsewhere(command);
    let box = this.lastBox;
    for (const { shape, before, after } of drafts) {
      const pad = this.store.pending.mostReach(shape) + this.travel(shape) + this.wholeSoftness() + MARGIN;
      const here = union(bounds(before), bounds(after));
      box = union(box, [here[0] - pad, here[1] - pad, here[2] + pad, here[3] + pad]);
    }
    this.lastBox = box;
    this.ask(command, box.map((v, i) => (i < 2 ? Math.floor(v) : Math.ceil(v))));
  }

  // How far lens softness of the whole matte spreads what changes.
  wholeSoftness() {
    const { document, selection, view } = this.store;
    return BELL_ENDS * (selection.matteNow?.lenses?.[view.frame - document.shot.first] || 0);
  }

  // How far a shape's box moves within one frame: the exposure reaches no farther.
  travel(shape) {
    const { frame } = this.store.view;
    const here = bounds(this.store.pending.outline(shape));
    const far = [-1, 1].map((by) => bounds(this.store.pending.outline(shape, frame + by)).map((v, i) => Math.abs(v - here[i])));
    return Math.max(...far.flat());
  }

  ask(command, box, solve = false) {
    const wanted = { command, box, solve, name: this.name, frame: this.store.view.frame, matte: this.store.selection.matte };
    if (this.asking) {
      this.again = wanted;
      return;
    }
    this.send(wanted);
  }

  async send(wanted) {
    this.asking = true;
    const slow = setTimeout(() => {
      this.says = "the matte is on its way"; // the very first one waits for the core to be compiled
      this.dispatchEvent(new Event("loaded"));
    }, 1200);
    const [width, height] = this.store.document.shot.size;
    try {
      const box = wanted.box
        ? [Math.max(0, wanted.box[0]), Math.max(0, wanted.box[1]), Math.min(width, wanted.box[2]), Math.min(height, wanted.box[3])]
        : null;
      if (!box || (box[2] > box[0] && box[3] > box[1])) {
        const body = { frame: wanted.frame, box, draft: wanted.command, quick: Boolean(wanted.command), solve: wanted.solve };
        const reply = await call("POST", `/shots/${this.store.document.shot.id}/mattes/${wanted.matte}/picture`, body);
        if (wanted.matte === this.store.selection.matte) {
          this.says = words(reply.headers.get("X-Samples"), Boolean(wanted.command));
          this.solveLater(reply.headers.get("X-Fringe"), wanted);
        }
        const place = reply.headers.get("X-Box").split(",").map(Number);
        this.lay(await createImageBitmap(await reply.blob()), place, wanted);
      }
    } catch (error) {
      if (!(error instanceof TypeError && /fetch/.test(error.message))) console.error(error); // without a connection the next change asks again
    }
    clearTimeout(slow);
    this.asking = false;
    if (this.again) {
      const next = this.again;
      this.again = null;
      this.send(next);
    }
  }

  // A fringe that was left out is solved when the artist stays on the frame.
  solveLater(fringe, wanted) {
    this.fringe = fringe;
    if (fringe !== "not solved" || wanted.solve) return;
    this.says = "a band is not worked out here yet";
    clearTimeout(this.solving);
    if (!wanted.command) this.solving = setTimeout(() => wanted.name === this.name && !this.store.view.playing && this.ask(null, null, true), REST);
  }

  // More frames are solved than when the kept mattes were made.
  solvedMore() {
    this.kept.clear();
    this.store.say("frame");
  }

  // The answer to an edit brings the touched box along: laid on the matte as it was, that is the matte as it is.
  async settle(picture, revision) {
    const was = this.kept.get(`${picture.matte}/${revision - 1}/${picture.frame}`);
    if (!was) return;
    const [width, height] = this.store.document.shot.size;
    const canvas = new OffscreenCanvas(width, height);
    canvas.getContext("2d").drawImage(was, 0, 0);
    if (picture.png) {
      const bytes = Uint8Array.from(atob(picture.png), (c) => c.charCodeAt(0));
      const bitmap = await createImageBitmap(new Blob([bytes], { type: "image/png" }));
      this.put(canvas, bitmap, picture.box);
    }
    this.says = words(picture.samples, false);
    this.keep(`${picture.matte}/${revision}/${picture.frame}`, canvas);
  }

  keep(name, canvas) {
    this.lastBox = null;
    this.kept.set(name, canvas);
    while (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value);
  }

  // A grey picture into the alpha of a canvas, at its place.
  put(canvas, bitmap, place) {
    const piece = new OffscreenCanvas(bitmap.width, bitmap.height);
    const pen = piece.getContext("2d", { willReadFrequently: true });
    pen.drawImage(bitmap, 0, 0);
    const image = pen.getImageData(0, 0, bitmap.width, bitmap.height);
    const data = image.data;
    for (let i = 0; i < data.length; i += 4) {
      data[i + 3] = data[i];
      data[i] = data[i + 1] = data[i + 2] = 255;
    }
    pen.putImageData(image, 0, 0);
    const onto = canvas.getContext("2d");
    onto.clearRect(place[0], place[1], bitmap.width, bitmap.height);
    onto.drawImage(piece, place[0], place[1]);
  }

  lay(bitmap, place, wanted) {
    const [width, height] = this.store.document.shot.size;
    let canvas;
    if (wanted.command) {
      const base = this.over && this.over.name === wanted.name ? this.over : this.shown;
      if (!base || base.frame !== wanted.frame) return;
      canvas = base.canvas;
      if (base !== this.over) {
        canvas = new OffscreenCanvas(width, height);
        canvas.getContext("2d").drawImage(base.canvas, 0, 0);
      }
      this.over = { name: wanted.name, frame: wanted.frame, canvas };
    } else {
      canvas = new OffscreenCanvas(width, height);
      this.keep(wanted.name, canvas);
    }
    this.put(canvas, bitmap, place);
    if (!wanted.command && wanted.frame === this.store.view.frame && wanted.matte === this.store.selection.matte) this.shown = { frame: wanted.frame, canvas };
    this.dispatchEvent(new Event("loaded"));
  }
}
