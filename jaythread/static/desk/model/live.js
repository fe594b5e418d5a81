// Live ranges as lists of [first, last]; none at all means always. Each act gives a new list.

export function startHere(ranges, frame, shot) {
  const now = ranges.length ? ranges : [[shot.first, shot.last]];
  const inside = now.find(([a, b]) => frame >= a && frame <= b);
  if (inside) return now.map((r) => (r === inside ? [frame, r[1]] : r));
  const next = now.find(([a]) => a > frame);
  return next ? now.map((r) => (r === next ? [frame, r[1]] : r)) : [...now, [frame, shot.last]];
}

export function endHere(ranges, frame, shot) {
  const now = ranges.length ? ranges : [[shot.first, shot.last]];
  const inside = now.find(([a, b]) => frame >= a && frame <= b);
  if (inside) return now.map((r) => (r === inside ? [r[0], frame] : r));
  const before = now.filter(([, b]) => b < frame).at(-1);
  return before ? now.map((r) => (r === before ? [r[0], frame] : r)) : [[shot.first, frame], ...now];
}

// Not live on this frame: the range that holds it ends before it and starts again after it.
export function offHere(ranges, frame, shot) {
  const now = ranges.length ? ranges : [[shot.first, shot.last]];
  return now.flatMap(([a, b]) => {
    if (frame < a || frame > b) return [[a, b]];
    return [[a, frame - 1], [frame + 1, b]].filter(([x, y]) => x <= y);
  });
}
