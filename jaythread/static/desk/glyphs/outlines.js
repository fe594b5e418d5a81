// The glyphs of the desk: how threads, beads, chevrons and knots are drawn. Colours are the product's own eight.

import { bisector, cubicAt, trace } from "../geom/outline.js";

export const COLOURS = ["#1f6f9c", "#8a5a9c", "#4f7f6c", "#a5622e", "#b05a5a", "#5b6b7a", "#a08437", "#2f8a86"];
export const CASING = "rgba(255, 253, 247, 0.85)";
export const INK = "#26343f";
const day = getComputedStyle(document.documentElement);
// A colour of the page's surfaces, by day or by dusk: "leaf", "soft", "line", "tick", "ink".
export const surface = (name) => day.getPropertyValue(`--${name}`);
export const OCHRE = "#b8741a";

export function thread(pen, points, view, colour, { pale = false, chosen = false } = {}) {
  pen.beginPath();
  trace(pen, points, view);
  const full = pen.globalAlpha;
  pen.globalAlpha = full * (pale ? 0.45 : 1);
  pen.lineJoin = "round";
  pen.strokeStyle = CASING;
  pen.lineWidth = chosen ? 4 : 3;
  pen.stroke();
  pen.strokeStyle = colour;
  pen.lineWidth = chosen ? 1.8 : 1.3;
  pen.stroke();
  pen.globalAlpha = full;
}

// Which way an outline runs: a small barb on its first stretch.
export function heading(pen, points, view) {
  const [x, y] = cubicAt(points, 0, 0.5);
  const [ax, ay] = cubicAt(points, 0, 0.45);
  const angle = Math.atan2(y - ay, x - ax);
  const [sx, sy] = [x * view.scale + view.x, y * view.scale + view.y];
  for (const [colour, width] of [[CASING, 5], [OCHRE, 2]]) {
    pen.beginPath();
    pen.moveTo(sx - 9 * Math.cos(angle - 0.5), sy - 9 * Math.sin(angle - 0.5));
    pen.lineTo(sx, sy);
    pen.lineTo(sx - 9 * Math.cos(angle + 0.5), sy - 9 * Math.sin(angle + 0.5));
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.stroke();
  }
}

// What an outline would become: ochre dashes over everything.
export function openly(pen, points, view) {
  pen.setLineDash([7, 4]);
  thread(pen, points, view, OCHRE, { chosen: true });
  pen.setLineDash([]);
}

// The outline of another frame: thin and faint.
export function faint(pen, points, view, colour) {
  pen.beginPath();
  trace(pen, points, view);
  pen.globalAlpha = 0.6;
  pen.lineWidth = 1;
  pen.strokeStyle = colour;
  pen.stroke();
  pen.globalAlpha = 1;
}

// The reach as a pale band without a line: outer part outside the outline, inner part inside.
export function band(pen, points, view, soft) {
  const path = new Path2D();
  trace(path, points, view);
  pen.strokeStyle = "rgba(255, 253, 247, 0.38)";
  pen.lineJoin = "round";
  for (const [reach, inside] of [[soft.inner - soft.shift, true], [soft.outer + soft.shift, false]]) {
    if (reach <= 0) continue;
    pen.save();
    const clip = new Path2D(path);
    if (!inside) clip.rect(-1e5, -1e5, 2e5, 2e5);
    pen.clip(clip, inside ? "nonzero" : "evenodd");
    pen.lineWidth = 2 * reach * view.scale;
    pen.stroke(path);
    pen.restore();
  }
}

// The same where it varies along the outline: between the outline and the lines that the reach ends at.
export function varyingBand(pen, { edge, inner, outer }, view) {
  pen.fillStyle = "rgba(255, 253, 247, 0.38)";
  for (const line of [inner, outer]) {
    const path = new Path2D();
    for (const loop of [edge, line]) {
      loop.forEach(([x, y], i) => path[i ? "lineTo" : "moveTo"](x * view.scale + view.x, y * view.scale + view.y));
      path.closePath();
    }
    pen.fill(path, "evenodd");
  }
}

export function point(pen, points, i, view, curve, chosen) {
  const x = points[i * 6] * view.scale + view.x;
  const y = points[i * 6 + 1] * view.scale + view.y;
  if (chosen) {
    pen.beginPath();
    pen.arc(x, y, 9, 0, 7);
    pen.strokeStyle = CASING;
    pen.lineWidth = 4;
    pen.stroke();
    pen.strokeStyle = COLOURS[0];
    pen.lineWidth = 2;
    pen.stroke();
  }
  pen.beginPath();
  if (curve) {
    pen.arc(x, y, 4.2, 0, 7);
    pen.fillStyle = "#fffdf7";
    pen.fill();
    pen.strokeStyle = INK;
    pen.lineWidth = 1.6;
    pen.stroke();
    return;
  }
  const angle = bisector(points, i);
  for (const [colour, width] of [[CASING, 5], [INK, 2.4]]) {
    pen.beginPath();
    pen.moveTo(x + 10 * Math.cos(angle + 0.55), y + 10 * Math.sin(angle + 0.55));
    pen.lineTo(x, y);
    pen.lineTo(x + 10 * Math.cos(angle - 0.55), y + 10 * Math.sin(angle - 0.55));
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.lineJoin = "miter";
    pen.stroke();
  }
}

export function tangents(pen, points, i, view) {
  for (const k of [2, 4]) {
    const dx = points[i * 6 + k];
    const dy = points[i * 6 + k + 1];
    if (!dx && !dy) continue;
    const x = points[i * 6] * view.scale + view.x;
    const y = points[i * 6 + 1] * view.scale + view.y;
    const tx = x + dx * view.scale;
    const ty = y + dy * view.scale;
    for (const [colour, width] of [[CASING, 3], [INK, 1]]) {
      pen.beginPath();
      pen.moveTo(x, y);
      pen.lineTo(tx, ty);
      pen.strokeStyle = colour;
      pen.lineWidth = width;
      pen.stroke();
    }
    pen.beginPath();
    pen.arc(tx, ty, 3.4, 0, 7);
    pen.fillStyle = INK;
    pen.fill();
  }
}

// The pivot with its arm, like the hand of a clock: the bead at its end turns, the notch on the way sizes.
export function arm(pen, x, y, { turn, size, angle }) {
  const along = (far) => [x + far * Math.cos(angle), y + far * Math.sin(angle)];
  const bead = along(turn);
  const notch = along(size);
  for (const [colour, width] of [[CASING, 4], [INK, 1.4]]) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.beginPath();
    pen.arc(x, y, 5, 0, 7);
    pen.moveTo(...along(5));
    pen.lineTo(...bead);
    pen.stroke();
  }
  pen.fillStyle = "#fffdf7";
  pen.strokeStyle = COLOURS[0];
  pen.lineWidth = 2;
  pen.beginPath();
  pen.arc(...bead, 6, 0, 7);
  pen.fill();
  pen.stroke();
  const [nx, ny] = [-Math.sin(angle) * 8, Math.cos(angle) * 8];
  for (const [colour, width] of [["#fffdf7", 8], [COLOURS[0], 4]]) {
    pen.beginPath();
    pen.moveTo(notch[0] - nx, notch[1] - ny);
    pen.lineTo(notch[0] + nx, notch[1] + ny);
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.stroke();
  }
}

// An outline that is still being traced: open, with the stretch that the next click would add, faint.
export function openThread(pen, points, view, next) {
  const n = points.length / 6;
  const X = (i, dx = 0) => (points[i * 6] + dx) * view.scale + view.x;
  const Y = (i, dy = 0) => (points[i * 6 + 1] + dy) * view.scale + view.y;
  const path = new Path2D();
  path.moveTo(X(0), Y(0));
  for (let i = 1; i < n; i++) {
    const a = (i - 1) * 6;
    path.bezierCurveTo(
      X(i - 1, points[a + 4]), Y(i - 1, points[a + 5]), X(i, points[a + 8]), Y(i, points[a + 9]), X(i), Y(i),
    );
  }
  pen.strokeStyle = CASING;
  pen.lineWidth = 4;
  pen.stroke(path);
  pen.strokeStyle = OCHRE;
  pen.lineWidth = 1.8;
  pen.stroke(path);
  if (!next) return;
  const last = (n - 1) * 6;
  const end = [next[0] * view.scale + view.x, next[1] * view.scale + view.y];
  pen.beginPath();
  pen.moveTo(X(n - 1), Y(n - 1));
  pen.bezierCurveTo(X(n - 1, points[last + 4]), Y(n - 1, points[last + 5]), ...end, ...end);
  pen.globalAlpha = 0.55;
  pen.stroke();
  pen.globalAlpha = 1;
}

// The first point of an outline that is being traced: a second ring, filled when a click would close it.
export function first(pen, x, y, closes) {
  pen.beginPath();
  pen.arc(x, y, 9, 0, 7);
  pen.lineWidth = 2;
  pen.strokeStyle = OCHRE;
  pen.stroke();
  if (closes) {
    pen.fillStyle = "rgba(184, 116, 26, 0.45)";
    pen.fill();
  }
}

// What a dividing edge would cover, while it is dragged.
export function half(pen, points, view) {
  pen.beginPath();
  trace(pen, points, view);
  pen.fillStyle = "rgba(184, 116, 26, 0.16)";
  pen.fill();
  thread(pen, points, view, OCHRE, { chosen: true });
}

// The way of a point over the frames: a dot a frame, the keys' larger.
export function way(pen, places, view, colour) {
  pen.fillStyle = colour;
  for (const { x, y, key } of places) {
    pen.beginPath();
    pen.arc(x * view.scale + view.x, y * view.scale + view.y, key ? 3 : 1.5, 0, 7);
    pen.fill();
  }
}

// A loop drawn around points.
// A brush that paints a band: what it has painted, and the ring of its size under the pointer.
export function brush(pen, path, under, radius) {
  if (path.length) {
    pen.beginPath();
    path.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
    if (path.length === 1) pen.lineTo(path[0][0] + 0.1, path[0][1]);
    pen.lineCap = pen.lineJoin = "round";
    pen.lineWidth = 2 * radius;
    pen.strokeStyle = "rgba(243, 238, 226, 0.45)";
    pen.stroke();
    pen.lineCap = pen.lineJoin = "miter";
  }
  if (!under) return;
  for (const [width, colour] of [[3, CASING], [1.2, COLOURS[0]]]) {
    pen.beginPath();
    pen.arc(...under, radius, 0, 7);
    pen.lineWidth = width;
    pen.strokeStyle = colour;
    pen.stroke();
  }
}

// The inside of a fringe's outline: a pale field, as its band.
export function field(pen, points, view) {
  pen.beginPath();
  trace(pen, points, view);
  pen.fillStyle = "rgba(243, 238, 226, 0.22)";
  pen.fill();
}

export function loop(pen, path) {
  pen.beginPath();
  path.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
  pen.closePath();
  pen.fillStyle = "rgba(31, 111, 156, 0.12)";
  pen.fill();
  pen.lineWidth = 3;
  pen.strokeStyle = CASING;
  pen.stroke();
  pen.lineWidth = 1.2;
  pen.strokeStyle = COLOURS[0];
  pen.stroke();
}

// A stroke that is being drawn along an edge.
export function stroke(pen, path) {
  pen.beginPath();
  path.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
  for (const [wide, colour] of /** @type {[number, string][]} */ ([[3, CASING], [1.2, COLOURS[0]]])) {
    pen.lineWidth = wide;
    pen.strokeStyle = colour;
    pen.stroke();
  }
}

// A painted hint: what is inside as a whole band, what is outside as a broken one.
export function hint(pen, path, radius, inside) {
  pen.beginPath();
  path.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
  if (path.length === 1) pen.lineTo(path[0][0] + 0.1, path[0][1]);
  pen.lineCap = inside ? "round" : "butt";
  pen.lineJoin = "round";
  pen.setLineDash(inside ? [] : [3, 5]);
  pen.lineWidth = 2 * radius;
  pen.strokeStyle = inside ? "rgba(31, 111, 156, 0.55)" : "rgba(165, 98, 46, 0.75)";
  pen.stroke();
  pen.setLineDash([]);
  pen.lineCap = "butt";
  pen.lineJoin = "miter";
}

// A frame on which the picture will hardly draw: the thread is frayed there, two short strokes across it.
export function frayed(pen, x, y) {
  pen.beginPath();
  for (const by of [-1.8, 1.8]) {
    pen.moveTo(x + by - 1.6, y + 5);
    pen.lineTo(x + by + 1.6, y - 5);
  }
  pen.strokeStyle = OCHRE;
  pen.lineWidth = 1.6;
  pen.stroke();
}

// A frame that the picture has drawn.
export function drawnFrame(pen, x, y, colour, { weak, small }) {
  if (weak) {
    pen.beginPath();
    pen.moveTo(x, y - 3);
    pen.lineTo(x, y - 10);
    pen.strokeStyle = OCHRE;
    pen.lineWidth = 2.2;
    pen.stroke();
  }
  pen.beginPath();
  pen.arc(x, y, small ? 1.3 : 2.3, 0, 7);
  pen.fillStyle = "#fffdf7";
  pen.fill();
  pen.strokeStyle = colour;
  pen.lineWidth = small ? 0.7 : 1.2;
  pen.stroke();
}

// Knots of the thread board. A full key: a large knot with a stitch across it; a partial one: a small knot; a track's: hollow.
export function knot(pen, x, y, colour, { full, hollow = false, picked = false }) {
  if (picked) {
    pen.beginPath();
    pen.arc(x, y, full ? 9 : 7, 0, 7);
    pen.strokeStyle = OCHRE;
    pen.lineWidth = 2;
    pen.stroke();
  }
  pen.beginPath();
  pen.arc(x, y, full ? 5.5 : 3.4, 0, 7);
  pen.fillStyle = hollow ? "#fffdf7" : colour;
  pen.fill();
  if (hollow) {
    pen.strokeStyle = colour;
    pen.lineWidth = 1.8;
    pen.stroke();
  } else if (full) {
    pen.beginPath();
    pen.moveTo(x - 2.4, y + 2.4);
    pen.lineTo(x + 2.4, y - 2.4);
    pen.strokeStyle = "#fffdf7";
    pen.lineWidth = 1.4;
    pen.stroke();
  }
}

// A placement key: a short cross-stitch above the thread.
export function stitch(pen, x, y, picked) {
  pen.beginPath();
  for (const s of [-1, 1]) {
    pen.moveTo(x - 3.2, y - 3.2 * s);
    pen.lineTo(x + 3.2, y + 3.2 * s);
  }
  pen.strokeStyle = picked ? OCHRE : surface("ink");
  pen.lineWidth = picked ? 2.4 : 1.5;
  pen.stroke();
}

// A key of the soft edge: a short dash below the thread.
export function dash(pen, x, y, picked) {
  pen.beginPath();
  pen.moveTo(x - 3.6, y);
  pen.lineTo(x + 3.6, y);
  pen.strokeStyle = picked ? OCHRE : surface("ink");
  pen.lineWidth = picked ? 3 : 2;
  pen.stroke();
}
