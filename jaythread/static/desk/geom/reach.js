// The reach along an outline, as it is drawn: from the points that have one of their own to all, and the lines that it ends at.

import { cubicAt } from "./outline.js";

const PARTS = 10; // places looked at on each segment

// [inner, outer] at every point: those without one of their own take it from their neighbours, by the length between.
export function everyReach(points, reaches) {
  const n = reaches.length;
  const own = [...reaches.keys()].filter((i) => reaches[i]);
  if (own.length === n) return reaches;
  if (own.length === 1) return reaches.map(() => reaches[own[0]]);
  const step = (i) => Math.hypot(points[((i + 1) % n) * 6] - points[i * 6], points[((i + 1) % n) * 6 + 1] - points[i * 6 + 1]);
  const out = [...reaches];
  own.forEach((a, k) => {
    const b = own[(k + 1) % own.length];
    const between = [];
    for (let i = a; i !== b; i = (i + 1) % n) between.push(i);
    const whole = between.reduce((sum, i) => sum + step(i), 0) || 1;
    let way = 0;
    for (const i of between) {
      const t = way / whole;
      if (i !== a) out[i] = [0, 1].map((c) => reaches[a][c] + t * (reaches[b][c] - reaches[a][c]));
      way += step(i);
    }
  });
  return out;
}

// The outline and the two lines that its reach ends at, each as [[x, y], ...]: {edge, inner, outer}.
export function reachLines(points, reaches, shift) {
  const n = points.length / 6;
  const every = everyReach(points, reaches);
  const edge = [];
  const widths = [];
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < PARTS; k++) {
      const t = k / PARTS;
      edge.push(cubicAt(points, i, t));
      const s = t * t * (3 - 2 * t);
      widths.push([0, 1].map((c) => every[i][c] + s * (every[(i + 1) % n][c] - every[i][c])));
    }
  }
  let area = 0;
  for (let i = 0; i < edge.length; i++) {
    const [p, q] = [edge[i], edge[(i + 1) % edge.length]];
    area += p[0] * q[1] - q[0] * p[1];
  }
  const hand = area > 0 ? 1 : -1;
  const lines = { edge, inner: [], outer: [] };
  for (let i = 0; i < edge.length; i++) {
    const [before, after] = [edge[(i + edge.length - 1) % edge.length], edge[(i + 1) % edge.length]];
    const long = Math.hypot(after[0] - before[0], after[1] - before[1]) || 1;
    const [nx, ny] = [(-(after[1] - before[1]) / long) * hand, ((after[0] - before[0]) / long) * hand]; // inwards
    const [inner, outer] = [Math.max(0, widths[i][0] - shift), Math.max(0, widths[i][1] + shift)];
    lines.inner.push([edge[i][0] + nx * inner, edge[i][1] + ny * inner]);
    lines.outer.push([edge[i][0] - nx * outer, edge[i][1] - ny * outer]);
  }
  return lines;
}
