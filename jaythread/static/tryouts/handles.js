// What can be taken hold of on the picture of a tryout, by line: its pivot with the arm, a hinge, the ends of a band of light, corners, and
// where its shadow falls, as seen from the pivot.
// A handle is {what, at: [x, y]} in plate px.

import { toScreen } from "../desk/geom/view.js";
import { armAt, paintArm } from "../desk/tools/arm.js";

const NEAR = 9; // screen px
const SHADE = "#26343f"; // a shadow's handle is dark
const radians = (degrees) => (degrees * Math.PI) / 180;

// A shadow that falls from the pivot to a place.
export function cast(shadow, pivot, at) {
  const [dx, dy] = [at[0] - pivot[0], at[1] - pivot[1]];
  return { ...shadow, turn: Math.round((Math.atan2(dy, dx) * 1800) / Math.PI) / 10, away: Math.round(Math.hypot(dx, dy) * 10) / 10 };
}

/** @param {any} line @param {number[]} lies the pivot and four corners @param {boolean} pulls whether corners are pulled */
export function handlesOf(line, lies, pulls) {
  const out = [];
  const { shadow } = line.done;
  if (shadow) out.push({ what: "shadow", at: [lies[0] + shadow.away * Math.cos(radians(shadow.turn)), lies[1] + shadow.away * Math.sin(radians(shadow.turn))] });
  if (line.place.swing) line.place.swing.hinge.forEach((at, k) => out.push({ what: `hinge ${k}`, at }));
  if (line.shows.kind === "light") for (const end of ["one", "other"]) if (!line.shows[end].track) out.push({ what: `end ${end}`, at: line.shows[end].at });
  if (pulls) for (let k = 0; k < 4; k++) out.push({ what: `corner ${k}`, at: [lies[2 + 2 * k], lies[3 + 2 * k]] });
  return out;
}

export function handleAt(handles, pivot, view, p) {
  const near = handles.find(({ at }) => {
    const [x, y] = toScreen(view, ...at);
    return Math.hypot(p.sx - x, p.sy - y) < NEAR;
  });
  return near?.what || (pivot && armAt(view, pivot, p)) || "move";
}

export function paintHandles(pen, view, line, handles, pivot) {
  if (line.place.swing) {
    const [[ax, ay], [bx, by]] = line.place.swing.hinge.map((at) => toScreen(view, ...at));
    for (const [width, colour] of /** @type {[number, string][]} */ ([[4, "rgba(0, 0, 0, 0.5)"], [1.6, "#fffdf7"]])) {
      pen.lineWidth = width;
      pen.strokeStyle = colour;
      pen.beginPath();
      pen.moveTo(ax, ay);
      pen.lineTo(bx, by);
      pen.stroke();
    }
  }
  for (const { what, at } of handles) {
    const [x, y] = toScreen(view, ...at);
    pen.beginPath();
    pen.roundRect(x - 5, y - 5, 10, 10, 3);
    pen.fillStyle = what === "shadow" ? SHADE : "#fffdf7";
    pen.fill();
    pen.lineWidth = 2;
    pen.strokeStyle = what === "shadow" ? "#fffdf7" : "#1f6f9c";
    pen.stroke();
  }
  if (pivot) paintArm(pen, view, pivot);
}
