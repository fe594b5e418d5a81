// The room that the picture has: how high the board is, how wide the panel, by a drag of their edge or the arrow keys on it; both put away by a
// key. Kept for this browser. A board that nobody has sized opens as high as its threads need, up to its usual height, and then stays so.

import { ROW } from "./threads.js";

const KEPT = "jaythread-room";
const SIZES = { board: { least: 110, usual: 188, most: 460 }, panel: { least: 240, usual: 272, most: 520 } }; // px
const RULER = 44 + 16; // px of the board that are no threads
const FEW = 3; // threads that there is room for at least
const STEP = 16; // px by an arrow key

export class Room {
  /** @param {HTMLElement} root @param {import("./threads.js").Threads} board */
  constructor(root, board) {
    this.root = root;
    /** @type {{board: number | null, panel: number | null}} */
    this.sizes = { board: null, panel: null, ...JSON.parse(localStorage.getItem(KEPT) || "{}") };
    this.isAlone = false;
    for (const what of /** @type {("board" | "panel")[]} */ (["board", "panel"])) this.edge(what);
    const lines = Math.max(FEW, board.lines().length);
    this.usual = { board: Math.min(SIZES.board.usual, RULER + lines * ROW), panel: SIZES.panel.usual };
    this.lay();
  }

  // The edge between the picture and the board, or the panel.
  edge(what) {
    const it = /** @type {HTMLElement} */ (this.root.querySelector(`.edge.of-${what}`));
    it.addEventListener("pointerdown", (e) => {
      it.setPointerCapture(e.pointerId);
      this.grabbed = what;
    });
    it.addEventListener("pointermove", (e) => {
      if (this.grabbed !== what) return;
      const box = this.root.getBoundingClientRect();
      this.size(what, what === "board" ? box.bottom - e.clientY : box.right - e.clientX);
    });
    for (const end of ["pointerup", "pointercancel"]) it.addEventListener(end, () => (this.grabbed = null));
    it.addEventListener("dblclick", () => this.size(what, null));
    it.addEventListener("keydown", (e) => {
      const way = { ArrowUp: 1, ArrowLeft: 1, ArrowDown: -1, ArrowRight: -1 }[e.key];
      if (!way) return;
      e.preventDefault();
      e.stopPropagation();
      this.size(what, this.now(what) + way * STEP);
    });
  }

  // null: as large as it is by itself.
  size(what, px) {
    const { least, most } = SIZES[what];
    this.sizes[what] = px === null ? null : Math.round(Math.min(most, Math.max(least, px)));
    localStorage.setItem(KEPT, JSON.stringify(this.sizes));
    this.lay();
  }

  now(what) {
    return this.sizes[what] ?? this.usual[what];
  }

  // The picture alone, or with board and panel again.
  alone() {
    this.isAlone = !this.isAlone;
    this.lay();
  }

  lay() {
    this.root.classList.toggle("alone", this.isAlone);
    for (const what of ["board", "panel"]) {
      this.root.style.setProperty(`--${what}`, `${this.isAlone ? 0 : this.now(what)}px`);
      this.root.querySelector(`.edge.of-${what}`)?.setAttribute("aria-valuenow", String(this.now(what)));
    }
  }
}
