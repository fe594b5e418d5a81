// The glyphs of tracks, and of where an outline or a plane is off.

import { CASING, INK, OCHRE } from "./outlines.js";

// A point of a track: a lozenge, filled where it was set by hand, pale where the track does not reach.
export function trackPoint(pen, x, y, { chosen, manual, known }) {
  const r = chosen ? 7 : 5;
  pen.globalAlpha = known ? 1 : 0.4;
  pen.beginPath();
  pen.moveTo(x, y - r);
  pen.lineTo(x + r, y);
  pen.lineTo(x, y + r);
  pen.lineTo(x - r, y);
  pen.closePath();
  pen.strokeStyle = CASING;
  pen.lineWidth = 4;
  pen.stroke();
  pen.strokeStyle = chosen ? OCHRE : INK;
  pen.lineWidth = 2;
  pen.stroke();
  if (manual) {
    pen.fillStyle = chosen ? OCHRE : INK;
    pen.fill();
  }
  pen.globalAlpha = 1;
}

// The patch around it: a plain thin square.
export function patch(pen, [x, y], half) {
  for (const [colour, width] of [[CASING, 3], [INK, 1]]) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.strokeRect(x - half, y - half, 2 * half, 2 * half);
  }
}

// The four points of a plane, joined.
export function quad(pen, places, chosen) {
  for (const [colour, width] of [[CASING, 3], [chosen ? OCHRE : INK, 1.2]]) {
    pen.beginPath();
    places.forEach(([x, y], i) => pen[i ? "lineTo" : "moveTo"](x, y));
    pen.closePath();
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.stroke();
  }
}

// The way of a track: a line with a bead a frame, the less sure the paler; a lozenge where it was set by hand.
export function trackPath(pen, way, view) {
  const at = way.map(({ x, y }) => [x * view.scale + view.x, y * view.scale + view.y]);
  for (const [colour, width] of [[CASING, 2.6], [INK, 1]]) {
    pen.beginPath();
    at.forEach(([x, y], i) => pen[i ? "lineTo" : "moveTo"](x, y));
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.stroke();
  }
  way.forEach(({ confidence, manual }, i) => {
    const [x, y] = at[i];
    pen.globalAlpha = 0.35 + 0.65 * Math.max(0, (confidence - 0.5) * 2);
    pen.fillStyle = manual ? OCHRE : INK;
    pen.beginPath();
    if (manual) pen.rect(x - 2.5, y - 2.5, 5, 5);
    else pen.arc(x, y, 1.7, 0, 7);
    pen.fill();
    pen.globalAlpha = 1;
  });
}

// Where an outline, or a plane, is off: ticks from it to where the picture lies, the less sure the paler; a dot where it is not off.
export function marks(pen, places, view) {
  for (const [colour, width] of /** @type {[string, number][]} */ ([[CASING, 3], [OCHRE, 1.6]])) {
    for (const [x, y, dx, dy, confidence] of places) {
      const [sx, sy] = [x * view.scale + view.x, y * view.scale + view.y];
      const there = Math.hypot(dx, dy) * view.scale >= 3;
      pen.globalAlpha = (colour === CASING ? 0.5 : 1) * (0.35 + 0.65 * confidence);
      pen.beginPath();
      pen.moveTo(sx, sy);
      if (there) pen.lineTo(sx + dx * view.scale, sy + dy * view.scale);
      else pen.arc(sx, sy, width / 2, 0, 7);
      pen.strokeStyle = colour;
      pen.lineWidth = width;
      pen.stroke();
    }
  }
  pen.globalAlpha = 1;
}

// The way that a track's points would go: ochre dashes.
export function wouldBe(pen, path, parts, view) {
  pen.setLineDash([6, 3]);
  pen.strokeStyle = OCHRE;
  pen.lineWidth = 1.8;
  for (let part = 0; part < parts; part++) {
    pen.beginPath();
    for (let i = part * 2; i < path.length; i += parts * 2) pen[i < parts * 2 ? "moveTo" : "lineTo"](path[i] * view.scale + view.x, path[i + 1] * view.scale + view.y);
    pen.stroke();
  }
  pen.setLineDash([]);
}

// An outline as it is found while the picture draws: ochre dots, the less sure the paler.
export function found(pen, { places, sure }, view) {
  pen.globalAlpha = 0.45 + 0.55 * sure;
  for (const [x, y] of places) {
    for (const [colour, r] of /** @type {[string, number][]} */ ([[CASING, 3.4], [OCHRE, 2.2]])) {
      pen.beginPath();
      pen.arc(x * view.scale + view.x, y * view.scale + view.y, r, 0, 7);
      pen.fillStyle = colour;
      pen.fill();
    }
  }
  pen.globalAlpha = 1;
}

// Where a note points: four short strokes around the place, which itself stays free.
export function place(pen, x, y) {
  for (const [colour, width] of [[CASING, 6], [OCHRE, 3]]) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.beginPath();
    for (const [u, v] of [[1, 1], [1, -1], [-1, 1], [-1, -1]]) {
      pen.moveTo(x + 9 * u, y + 9 * v);
      pen.lineTo(x + 18 * u, y + 18 * v);
    }
    pen.stroke();
  }
}

// Where something was found: a quarter round at each corner of its box, ochre for the one in hand.
export function foundBox(pen, [x0, y0, x1, y1], view, chosen) {
  const [left, top, right, bottom] = [x0 * view.scale + view.x - 7, y0 * view.scale + view.y - 7, x1 * view.scale + view.x + 7, y1 * view.scale + view.y + 7];
  const r = Math.min(12, (right - left) / 2, (bottom - top) / 2);
  for (const [colour, width] of /** @type {[string, number][]} */ ([[CASING, 5], [chosen ? OCHRE : INK, chosen ? 2.6 : 1.8]])) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    for (const [x, y, from] of [[left + r, top + r, Math.PI], [right - r, top + r, 1.5 * Math.PI], [right - r, bottom - r, 0], [left + r, bottom - r, 0.5 * Math.PI]]) {
      pen.beginPath();
      pen.arc(x, y, r, from, from + Math.PI / 2);
      pen.stroke();
    }
  }
}

// A stroke of a note: ochre in a pale casing.
export function noted(pen, path) {
  pen.beginPath();
  path.forEach(([x, y], i) => (i ? pen.lineTo(x, y) : pen.moveTo(x, y)));
  for (const [colour, width] of /** @type {[string, number][]} */ ([[CASING, 5], [OCHRE, 2.4]])) {
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.stroke();
  }
}
