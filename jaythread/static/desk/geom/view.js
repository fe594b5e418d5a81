// Where the picture lies on the screen. A view is never changed; every act gives a new one.
// scale: screen px per plate px; x, y: screen place of the plate's origin.

export const SMALLEST = 0.02;
export const LARGEST = 64;

export function makeView(scale, x, y) {
  return Object.freeze({ scale, x, y });
}

export function toScreen(view, px, py) {
  return [px * view.scale + view.x, py * view.scale + view.y];
}

export function toPlate(view, sx, sy) {
  return [(sx - view.x) / view.scale, (sy - view.y) / view.scale];
}

// The plate place under (sx, sy) stays there.
export function zoomAt(view, factor, sx, sy) {
  const scale = Math.min(LARGEST, Math.max(SMALLEST, view.scale * factor));
  const k = scale / view.scale;
  return makeView(scale, sx - (sx - view.x) * k, sy - (sy - view.y) * k);
}

export function pan(view, dx, dy) {
  return makeView(view.scale, view.x + dx, view.y + dy);
}

// The whole picture with a generous margin around it, in which points can be placed.
export function fit(size, stage) {
  const scale = Math.min(stage[0] / (size[0] * 1.14), stage[1] / (size[1] * 1.16));
  return makeView(scale, (stage[0] - size[0] * scale) / 2, (stage[1] - size[1] * scale) / 2);
}

// A box of the plate (x0, y0, x1, y1) in the middle of the stage, with some room around it.
export function around(box, stage) {
  const room = 40; // plate px, so that one point alone is not all there is to see
  const scale = Math.min(stage[0] / (box[2] - box[0] + 2 * room), stage[1] / (box[3] - box[1] + 2 * room), LARGEST);
  return makeView(scale, stage[0] / 2 - ((box[0] + box[2]) / 2) * scale, stage[1] / 2 - ((box[1] + box[3]) / 2) * scale);
}

// One plate px on one screen px, about the middle of the stage, on whole screen px.
export function exact(view, stage) {
  const [px, py] = toPlate(view, stage[0] / 2, stage[1] / 2);
  return makeView(1, Math.round(stage[0] / 2 - px), Math.round(stage[1] / 2 - py));
}
