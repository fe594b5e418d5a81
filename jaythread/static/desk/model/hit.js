// What lies under the pointer: tangents and points first, then edges; the chosen shapes before the others. Plain geometry.

import { bounds, nearest } from "../geom/outline.js";

export const NEAR = 9; // screen px within which something is meant

function away(points, i, dx, dy, x, y) {
  return Math.hypot(points[i * 6] + dx - x, points[i * 6 + 1] + dy - y);
}

// {kind: "tangent" | "point" | "edge", shape, index, side | segment, t} or null. x, y: plate px; scale: screen px per plate px.
/** @returns {any} */
export function hit(store, scale, x, y) {
  const near = NEAR / scale;
  const chosen = store.selection.editable.filter((s) => store.view.hiddenShapes.isShown(s.id)).reverse();
  for (const shape of chosen) {
    const points = store.pending.outline(shape);
    for (const i of store.selection.pointsOf(shape.id)) {
      for (const side of [2, 4]) {
        const dx = points[i * 6 + side];
        const dy = points[i * 6 + side + 1];
        if ((dx || dy) && away(points, i, dx, dy, x, y) < near) return { kind: "tangent", shape, index: i, side };
      }
    }
  }
  for (const shape of chosen) {
    const found = pointAt(store, shape, near, x, y);
    if (found) return found;
  }
  for (const shape of chosen) {
    const found = edgeAt(store, shape, near, x, y);
    if (found) return found;
  }
  let best = null;
  for (const entry of store.selection.stack()) {
    const shape = store.document.shapes.get(entry.shape);
    if (store.selection.has(shape.id) || !store.document.isLive(shape, store.view.frame) || !reachable(store, shape)) continue;
    const found = edgeAt(store, shape, near, x, y);
    if (found && (!best || found.distance < best.distance)) best = found;
  }
  return best;
}

function reachable(store, shape) {
  return store.view.hiddenShapes.isShown(shape.id) && !shape.locked;
}

// All shapes whose outline lies under a place, from the bottom of the stack up.
export function stackedAt(store, scale, x, y) {
  const shapes = store.selection.stack().map((entry) => store.document.shapes.get(entry.shape));
  return shapes.filter((shape) => store.document.isLive(shape, store.view.frame) && reachable(store, shape) && edgeAt(store, shape, (NEAR * 1.5) / scale, x, y));
}

function pointAt(store, shape, near, x, y) {
  const points = store.pending.outline(shape);
  let best = null;
  for (let i = 0; i < shape.curves.length; i++) {
    const d = away(points, i, 0, 0, x, y);
    if (d < near && (!best || d < best.distance)) best = { kind: "point", shape, index: i, distance: d };
  }
  return best;
}

function edgeAt(store, shape, near, x, y) {
  const points = store.pending.outline(shape);
  const box = bounds(points);
  if (x < box[0] - near || y < box[1] - near || x > box[2] + near || y > box[3] + near) return null;
  const found = nearest(points, x, y);
  return found.distance < near ? { kind: "edge", shape, ...found } : null;
}

// Whether a place lies inside a loop drawn freehand (even-odd). loop: [[x, y], ...]
export function inLoop(loop, x, y) {
  let inside = false;
  for (let i = 0, j = loop.length - 1; i < loop.length; j = i++) {
    const [xi, yi] = loop[i];
    const [xj, yj] = loop[j];
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) inside = !inside;
  }
  return inside;
}
