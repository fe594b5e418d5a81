// The signs of the desk: how threads, beads, chevrons and knots are drawn. Colours are the product's own eight.

import { bisector, trace } from "../geom/outline.js";

export const COLOURS = ["#1f6f9c", "#8a5a9c", "#4f7f6c", "#a5622e", "#b05a5a", "#5b6b7a", "#a08437", "#2f8a86"];
export const CASING = "rgba(255, 253, 247, 0.85)";
export const INK = "#26343f";
export const OCHRE = "#b8741a";

export function thread(pen, points, view, colour, { pale = false, chosen = false } = {}) {
  pen.beginPath();
  trace(pen, points, view);
  pen.globalAlpha = pale ? 0.45 : 1;
  pen.lineJoin = "round";
  pen.strokeStyle = CASING;
  pen.lineWidth = chosen ? 4 : 3;
  pen.stroke();
  pen.strokeStyle = colour;
  pen.lineWidth = chosen ? 1.8 : 1.3;
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

// The pivot with its two arms: a ring to turn, a notch to size.
export function arms(pen, x, y, reach, turn) {
  const bead = [x + reach * Math.cos(turn), y + reach * Math.sin(turn)];
  const notch = [x + reach * Math.cos(turn - Math.PI / 2), y + reach * Math.sin(turn - Math.PI / 2)];
  for (const [colour, width] of [[CASING, 4], [INK, 1.4]]) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.beginPath();
    pen.arc(x, y, 5, 0, 7);
    for (const end of [bead, notch]) {
      pen.moveTo(x, y);
      pen.lineTo(end[0], end[1]);
    }
    pen.stroke();
  }
  pen.fillStyle = "#fffdf7";
  pen.strokeStyle = COLOURS[0];
  pen.lineWidth = 2;
  pen.beginPath();
  pen.arc(bead[0], bead[1], 6, 0, 7);
  pen.fill();
  pen.stroke();
  pen.beginPath();
  pen.rect(notch[0] - 5, notch[1] - 5, 10, 10);
  pen.fill();
  pen.stroke();
  return { bead, notch };
}
