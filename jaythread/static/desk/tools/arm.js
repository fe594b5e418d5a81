// The arm of a pivot, like the hand of a clock: the bead at its end turns, the notch on the way sizes. Used for shapes and for chosen points.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/outlines.js";
import { NEAR } from "../model/hit.js";

const ARM = { turn: 96, size: 52, angle: -0.6 }; // screen px from the pivot to its bead and its notch, and where the arm points (radians)
const FINE = 15; // degrees a turn snaps to with Shift

// "turn", "size" or null: which part of the arm lies under the pointer.
export function armAt(view, pivot, p) {
  const [x, y] = toScreen(view, ...pivot);
  for (const what of ["turn", "size"]) {
    const hx = x + ARM[what] * Math.cos(ARM.angle);
    const hy = y + ARM[what] * Math.sin(ARM.angle);
    if (Math.hypot(p.sx - hx, p.sy - hy) < NEAR + 2) return what;
  }
  return null;
}

export function paintArm(pen, view, pivot) {
  glyphs.arm(pen, ...toScreen(view, ...pivot), ARM);
}

// One drag on an arm: how far it has turned (degrees, past whole turns too) and sized.
export class Swing {
  constructor(what, pivot, p) {
    this.what = what;
    this.pivot = pivot;
    this.from = p;
    this.turned = 0;
    this.turn = 0;
    this.size = 1;
    this.angle = Math.atan2(p.y - pivot[1], p.x - pivot[0]);
  }

  move(p, steps) {
    const [px, py] = this.pivot;
    if (this.what === "turn") {
      const angle = Math.atan2(p.y - py, p.x - px);
      let step = ((angle - this.angle) * 180) / Math.PI;
      step -= Math.round(step / 360) * 360;
      this.turned += step; // kept from move to move, so that a turn may go past a whole one
      this.angle = angle;
      this.turn = steps ? Math.round(this.turned / FINE) * FINE : this.turned;
    } else {
      const was = Math.hypot(this.from.x - px, this.from.y - py) || 1;
      this.size = Math.max(0.01, Math.hypot(p.x - px, p.y - py) / was);
    }
  }
}
