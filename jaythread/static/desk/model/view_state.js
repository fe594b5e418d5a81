// How one looks at the shot: frame, step, view mode, what is shown. Nothing of it is saved with the shot.

import { HiddenShapes } from "./hidden.js";
import { Slice } from "./slice.js";

const AT_FIRST = {
  step: "trace",
  mode: "plate", // a name of the register of views
  hidden: false, // all outlines
  neighbours: false, // or "keys", or how many frames before and after
  pointsOnly: false,
  scope: "here", // which keys a change touches: the one "here", "all", or those from here "on"
  keyKind: "flowing", // of the keys that this person makes
  stride: 5, // frames
  marked: null, // a frame to compare with
  display: { exposure: 0, gamma: 1, channel: "all", tint: "#7d4f96", strength: 0.5 },
  ground: "checker", // a name, a colour, or "clip" for the clip that is chosen
  clip: null, // {plate, begin, reverse}: another shot's plate under the cut-out
  drawing: false, // or the way in which something new is drawn
  playing: 0, // or which way: 1 on, -1 backwards
  tryout: null, // the one that the view "in use" shows
  loupe: false, // whether a drag shows what lies under the pointer larger
  steadyOn: null, // the track that the picture is held still on
};

export class ViewState extends Slice {
  /** @type {any} */
  #state = { ...AT_FIRST };
  #frame;
  #figures = "";

  /** @param {import("./document.js").Document} document */
  constructor(document) {
    super();
    this.document = document;
    this.#frame = document.shot.first;
    this.hiddenShapes = new HiddenShapes(document.shot.id);
    document.addEventListener("taken", () => {
      if (this.#state.steadyOn && !document.tracks.has(this.#state.steadyOn)) this.#state.steadyOn = null;
    });
  }

  /** @type {number} */
  get frame() {
    return this.#frame;
  }
  /** @type {string} */
  get step() {
    return this.#state.step;
  }
  /** @type {string} */
  get mode() {
    return this.#state.mode;
  }
  /** @type {boolean} */
  get hidden() {
    return this.#state.hidden;
  }
  /** @type {false | string} */
  get neighbours() {
    return this.#state.neighbours;
  }
  /** @type {boolean} */
  get pointsOnly() {
    return this.#state.pointsOnly;
  }
  /** @type {"here" | "all" | "on"} */
  get scope() {
    return this.#state.scope;
  }
  /** @type {"flowing" | "straight" | "hold"} */
  get keyKind() {
    return this.#state.keyKind;
  }
  /** @type {number} */
  get stride() {
    return this.#state.stride;
  }
  /** @type {string | null} */
  get tryout() {
    return this.#state.tryout;
  }
  /** @type {number | null} */
  get marked() {
    return this.#state.marked;
  }
  /** @type {{exposure: number, gamma: number, channel: string, tint: string, strength: number}} */
  get display() {
    return this.#state.display;
  }
  /** @type {string} */
  get ground() {
    return this.#state.ground;
  }
  /** @type {{plate: number, begin: number | null, reverse: boolean} | null} */
  get clip() {
    return this.#state.clip;
  }
  /** @type {false | string} */
  get drawing() {
    return this.#state.drawing;
  }
  /** @type {number} */
  get playing() {
    return this.#state.playing;
  }
  /** @type {boolean} */
  get loupe() {
    return this.#state.loupe;
  }
  /** @type {string | null} */
  get steadyOn() {
    return this.#state.steadyOn;
  }
  // What lies under the pointer, in figures.
  get figures() {
    return this.#figures;
  }

  // What a change says beside itself: which keys it is for, and of which kind a new one is.
  get scoping() {
    return { ...(this.scope === "here" ? {} : { scope: this.scope }), ...(this.keyKind === "flowing" ? {} : { kind: this.keyKind }) };
  }

  /** @param {number} frame */
  go(frame) {
    const { first, last } = this.document.shot;
    const to = Math.min(last, Math.max(first, Math.round(frame)));
    if (to === this.#frame || !Number.isFinite(to)) return;
    this.#frame = to;
    this.say("frame");
  }

  // quietly: what is begun by it says so itself.
  /** @param {string} field @param {any} value @param {boolean} [quietly] */
  set(field, value, quietly = false) {
    if (!(field in AT_FIRST)) throw new Error(`the view has no ${field}`);
    if (this.#state[field] === value) return;
    this.#state[field] = value;
    if (!quietly) this.say("changed");
  }

  /** @param {string} text */
  showFigures(text) {
    this.#figures = text;
    this.say("under");
  }

  // The frames whose outlines are shown faintly beside this one's.
  /** @param {import("./types.js").Shape} shape */
  neighboursOf(shape) {
    if (this.neighbours === "keys") return this.document.keysAround(shape, this.#frame);
    const by = Number(this.neighbours) || 0;
    const { first, last } = this.document.shot;
    return [this.#frame - by, this.#frame + by].filter((f) => by && f >= first && f <= last);
  }
}
