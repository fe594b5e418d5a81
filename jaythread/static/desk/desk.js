// The desk: what the tools, the keys and the panel have in common. Knows the parts, draws nothing itself; its acts stand in acts/.

import { carryAndCheck } from "./acts/carry_and_check.js";
import { edge } from "./acts/edge.js";
import { keys } from "./acts/keys.js";
import { lines } from "./acts/lines.js";
import { looking } from "./acts/looking.js";
import { points } from "./acts/points.js";
import { workingRange } from "./acts/range.js";
import { shapes } from "./acts/shapes.js";
import { tracing } from "./acts/tracing.js";
import { Brush } from "./tools/brush.js";
import { Carrying } from "./tools/carrying.js";
import { Dividing } from "./tools/dividing.js";
import { Freehand } from "./tools/freehand.js";
import { Hints } from "./tools/hints.js";
import { Noting } from "./tools/noting.js";
import { Placing } from "./tools/placing.js";
import { Points } from "./tools/points.js";
import { Readymade } from "./tools/readymade.js";
import { Redraw } from "./tools/redraw.js";
import { Softening } from "./tools/softening.js";
import { Tracing } from "./tools/tracing.js";

/** @typedef {any} Acts the acts that are mixed in below */

export class Desk {
  __v_skip = true; // Alpine hands it on as it is

  constructor(store, stage, edits, mattes, board, player) {
    Object.assign(this, { store, stage, edits, mattes, board, player });
    this.store = store;
    this.tracing = new Tracing(this);
    this.readymade = new Readymade(this);
    const carrying = new Carrying(this);
    this.ways = {
      points: this.tracing, ellipse: this.readymade, box: this.readymade, freehand: new Freehand(this), redraw: new Redraw(this), dividing: new Dividing(this),
      hints: new Hints(this), note: new Noting(this), brush: new Brush(this), track: carrying, "hand track": carrying,
    };
    this.tools = { trace: new Points(this), place: new Placing(this), soften: new Softening(this), carry: carrying };
    this.tools.check = this.tools.trace; // what is found there is mended by moving points
    this.tell = (text) => console.warn(text); // told by the page
    this.showKeys = () => {};
    store.addEventListener("frame", () => /** @type {Acts} */ (this).held());
    stage.extra = (pen, view) => this.tool.paint?.(pen, view);
  }

  get tool() {
    const { drawing, step } = this.store.view;
    return drawing ? this.ways[drawing] : this.tools[step];
  }

  setStep(step) {
    if (this.store.view.drawing) /** @type {Acts} */ (this).stopTracing();
    this.store.view.set("step", step);
  }

  // Run something that asks the server; what goes wrong is said.
  async attempt(work) {
    try {
      return await work();
    } catch (error) {
      this.tell(error.message);
      return null;
    }
  }
}

Object.assign(Desk.prototype, carryAndCheck, edge, keys, lines, looking, points, shapes, tracing, workingRange);
