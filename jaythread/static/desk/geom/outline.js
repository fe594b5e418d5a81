// Outlines as flat arrays of six numbers a point: x, y, incoming tangent, outgoing tangent. Knows no page.

// Draw a closed outline as cubics with any pen that has moveTo, bezierCurveTo and closePath.
export function trace(pen, outline, view) {
  const points = filled(outline);
  const n = points.length / 6;
  if (!n) return;
  const s = view.scale;
  const X = (v) => v * s + view.x;
  const Y = (v) => v * s + view.y;
  pen.moveTo(X(points[0]), Y(points[1]));
  for (let i = 0; i < n; i++) {
    const a = i * 6;
    const b = ((i + 1) % n) * 6;
    pen.bezierCurveTo(
      X(points[a] + points[a + 4]), Y(points[a + 1] + points[a + 5]),
      X(points[b] + points[b + 2]), Y(points[b + 1] + points[b + 3]),
      X(points[b]), Y(points[b + 1]),
    );
  }
  pen.closePath();
}

const FAR = 20000; // px that a dividing edge is drawn to: beyond any picture

// A dividing edge is one point with a direction: what it covers, to the right of it, as an outline. Others are returned as they are.
export function filled(points) {
  if (points.length !== 6) return points;
  const long = Math.hypot(points[4], points[5]) || 1;
  const [ux, uy] = [points[4] / long, points[5] / long];
  const at = (along, right) => [points[0] + FAR * (along * ux - right * uy), points[1] + FAR * (along * uy + right * ux), 0, 0, 0, 0];
  return new Float32Array([at(-1, 0), at(1, 0), at(1, 2), at(-1, 2)].flat());
}

export function cubicAt(points, segment, t) {
  const n = points.length / 6;
  const a = segment * 6;
  const b = ((segment + 1) % n) * 6;
  const u = 1 - t;
  const w = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t];
  return [0, 1].map(
    (k) =>
      w[0] * points[a + k] +
      w[1] * (points[a + k] + points[a + 4 + k]) +
      w[2] * (points[b + k] + points[b + 2 + k]) +
      w[3] * points[b + k],
  );
}

// The nearest place on an outline: {segment, t, distance}.
export function nearest(points, x, y) {
  const n = points.length / 6;
  if (n === 1) {
    const long = Math.hypot(points[4], points[5]) || 1;
    return { segment: 0, t: 0, distance: Math.abs((x - points[0]) * points[5] - (y - points[1]) * points[4]) / long };
  }
  let best = { segment: 0, t: 0, distance: Infinity };
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < 24; k++) {
      const t = (k + 0.5) / 24;
      const [px, py] = cubicAt(points, i, t);
      const d = Math.hypot(px - x, py - y);
      if (d < best.distance) best = { segment: i, t, distance: d };
    }
  }
  let step = 1 / 48;
  while (step > 1e-4) {
    for (const t of [best.t - step, best.t + step]) {
      if (t <= 0 || t >= 1) continue;
      const [px, py] = cubicAt(points, best.segment, t);
      const d = Math.hypot(px - x, py - y);
      if (d < best.distance) best = { segment: best.segment, t, distance: d };
    }
    step /= 2;
  }
  return best;
}

// The box of an outline's control polygon, which holds the outline.
export function bounds(outline) {
  const points = filled(outline);
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i += 6) {
    for (const [dx, dy] of [[0, 0], [points[i + 2], points[i + 3]], [points[i + 4], points[i + 5]]]) {
      box[0] = Math.min(box[0], points[i] + dx);
      box[1] = Math.min(box[1], points[i + 1] + dy);
      box[2] = Math.max(box[2], points[i] + dx);
      box[3] = Math.max(box[3], points[i + 1] + dy);
    }
  }
  return box;
}

export function union(a, b) {
  if (!a) return b;
  return [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])];
}

// Moved, turned (degrees) and sized about a pivot.
export function placed(points, pivot, move, turn, size) {
  const c = Math.cos((turn * Math.PI) / 180) * size;
  const s = Math.sin((turn * Math.PI) / 180) * size;
  const out = new Float32Array(points.length);
  for (let i = 0; i < points.length; i += 2) {
    const at = i % 6 === 0;
    const x = points[i] - (at ? pivot[0] : 0);
    const y = points[i + 1] - (at ? pivot[1] : 0);
    out[i] = c * x - s * y + (at ? pivot[0] + move[0] : 0);
    out[i + 1] = s * x + c * y + (at ? pivot[1] + move[1] : 0);
  }
  return out;
}

// The direction in which a corner opens: along the bisector, away from the outline's own corner.
export function bisector(points, i) {
  const n = points.length / 6;
  const p = (k) => ((k + n) % n) * 6;
  const leg = (tx, ty, other) => {
    const x = tx || ty ? tx : points[other] - points[i * 6];
    const y = tx || ty ? ty : points[other + 1] - points[i * 6 + 1];
    const d = Math.hypot(x, y) || 1;
    return [x / d, y / d];
  };
  const a = leg(points[i * 6 + 2], points[i * 6 + 3], p(i - 1));
  const b = leg(points[i * 6 + 4], points[i * 6 + 5], p(i + 1));
  return Math.atan2(a[1] + b[1], a[0] + b[0]);
}

// The outline with some points moved by (dx, dy).
export function shifted(points, which, dx, dy) {
  const out = Float32Array.from(points);
  for (const i of which) {
    out[i * 6] += dx;
    out[i * 6 + 1] += dy;
  }
  return out;
}

// The outline with some points turned (degrees) and sized about a pivot, tangents too.
export function turned(points, which, pivot, turn, size) {
  const all = placed(points, pivot, [0, 0], turn, size);
  const out = Float32Array.from(points);
  for (const i of which) out.set(all.subarray(i * 6, i * 6 + 6), i * 6);
  return out;
}

// The outline with one tangent's end at (x, y); on a curve point the other one turns with it and keeps its length.
export function turnTangent(points, i, side, x, y, curve) {
  const out = Float32Array.from(points);
  const dx = x - points[i * 6];
  const dy = y - points[i * 6 + 1];
  out[i * 6 + side] = dx;
  out[i * 6 + side + 1] = dy;
  const other = i * 6 + 6 - side;
  const long = Math.hypot(points[other], points[other + 1]);
  const d = Math.hypot(dx, dy);
  if (curve && long && d) {
    out[other] = (-dx / d) * long;
    out[other + 1] = (-dy / d) * long;
  }
  return out;
}

// Whether the outline winds around a place (non-zero), by its cubics in short straight pieces.
export function winds(outline, x, y) {
  const points = filled(outline);
  const n = points.length / 6;
  let total = 0;
  let [px, py] = [points[0], points[1]];
  for (let i = 0; i < n; i++) {
    for (let k = 1; k <= 16; k++) {
      const [qx, qy] = cubicAt(points, i, k / 16);
      if (py <= y !== qy <= y && px + ((y - py) * (qx - px)) / (qy - py) > x) total += qy > py ? 1 : -1;
      [px, py] = [qx, qy];
    }
  }
  return total !== 0;
}
