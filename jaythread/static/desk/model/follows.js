// Which frames follow a change on one frame: at most two stretches on either side of its key, fewer where somebody looked at a frame.
// The server keeps to the same rule (roto/motion/correct.py).

/** @typedef {import("./types.js").Shape} Shape */
/** @typedef {import("./types.js").Shot} Shot */

/** The channel that a drag in a step keys.
 *  @param {string} step @param {Shape} shape */
export const channelOf = (step, shape) => (step === "place" ? "placement" : step !== "soften" ? "form" : shape.reaches ? "reach" : "settings");

/** First and last frame that may move, when `points` (or all) are keyed on a frame.
 *  @param {{first: number, last: number}} shot @param {{frame: number, parts: number[], full: boolean}[]} keys @param {number} frame
 *  @param {number[]} points @param {number[]} looked frames that somebody looked at
 *  @returns {[number, number]} */
export function follows({ first, last }, keys, frame, points, looked) {
  let [low, high] = [frame, frame];
  const seen = new Set();
  for (const point of points.length ? points : [-1]) {
    const frames = keys.filter((k) => k.full || point < 0 || k.parts.includes(point)).map((k) => k.frame).filter((f) => f !== frame);
    const name = frames.join();
    if (seen.has(name)) continue; // points with the same keys move together
    seen.add(name);
    low = Math.min(low, end(frames.filter((f) => f < frame).sort((a, b) => b - a), first, -1, looked));
    high = Math.max(high, end(frames.filter((f) => f > frame).sort((a, b) => a - b), last, 1, looked));
  }
  return [Math.max(first, low), Math.min(last, high)];
}

// How far it goes on one side, from the keys on that side, the nearest first.
function end(side, whole, way, looked) {
  if (!side.length) return whole;
  const still = side.length > 1 && looked.some((f) => (f - side[0]) * way > 0 && (side[1] - f) * way > 0);
  return (side.length > 1 && !still ? side[1] : side[0]) - way;
}
