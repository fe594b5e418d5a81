// A little desk for the tests of the page's modules: a kite with a patch, a group, a track; and stand-ins for what a browser has.

const kept = new Map();
globalThis.localStorage = {
  getItem: (key) => kept.get(key) ?? null,
  setItem: (key, text) => kept.set(key, String(text)),
  clear: () => kept.clear(),
};
globalThis.document = { cookie: "csrftoken=abc", hidden: false, documentElement: {} };
globalThis.getComputedStyle = () => ({ getPropertyValue: () => "#000000" });
globalThis.window = globalThis;
globalThis.addEventListener ||= () => {};

export const FIRST = 1001;
export const LAST = 1010;

/** @param {number[]} floats */
export const packed = (floats) => Buffer.from(new Float32Array(floats).buffer).toString("base64");

// A square of corners, moved on by `step` px a frame; all frames one after the other.
export function square(x, y, side, step = 0) {
  const out = [];
  for (let f = 0; f <= LAST - FIRST; f++) {
    for (const [dx, dy] of [[0, 0], [side, 0], [side, side], [0, side]]) out.push(x + dx + f * step, y + dy, 0, 0, 0, 0);
  }
  return out;
}

export function shapeData(id, name, floats, more = {}) {
  return {
    id, name, kind: "closed", group: null, carrier: null, locked: false, revision: 1, colour: 0, profile: "straight", blur: true, pivot: [0, 0],
    curves: [false, false, false, false], live: [], form: [{ frame: FIRST, kind: 2, parts: [], full: true, settled: false }], placement: [], settings: [], reach: [],
    reaches: null, lensKind: "bell", soft: [[0, 0, 0, 1, 0]], placed: [[0, 0, 0, 1, 5, 5]], opening: "", outlines: packed(floats), ...more,
  };
}

export const line = (id, shape, mode = "add") => ({ id, shape, order: 0, mode, inverted: false, opacity: 1, within: null });

export function deskData(more = {}) {
  localStorage.clear();
  return {
    shot: { id: 7, name: "KITE_010", first: FIRST, last: LAST, size: [1920, 1080], rate: 24, rateText: "24", pixelAspect: 1 },
    plate: { id: 1, state: "ready", version: "1.0", missing: [], cuts: [] }, working: [FIRST, LAST], clips: [], shots: [], modes: [], mayTrace: true, keys: {},
    shapes: [
      shapeData("body", "kite body", square(100, 100, 80, 2)),
      shapeData("patch", "patch", square(130, 130, 20, 2), { form: [FIRST, FIRST + 6].map((frame) => ({ frame, kind: 2, parts: [], full: true, settled: false })) }),
      shapeData("pair", "pair", [], { kind: "group", curves: [] }),
    ],
    tracks: [{
      id: "spars", name: "cross of the spars", revision: 1, home: FIRST, frames: [FIRST, FIRST + 1, FIRST + 2], confidence: [1, 0.9, 0.4], manual: [FIRST],
      parts: 1, hows: ["move"], patch: null, path: packed(Array.from({ length: 10 }, (_, f) => [140 + 2 * f, 140]).flat()),
    }],
    mattes: [
      { id: "kite", name: "kite", inverted: false, shift: [], shifts: [], sentence: "", stack: [line("l1", "body"), line("l2", "patch", "cut"), line("l3", "pair")] },
      { id: "hole", name: "hole", inverted: false, shift: [], shifts: [], sentence: "", stack: [line("l4", "patch")] },
    ],
    revision: 12, shutter: { angle: 180, phase: null }, undo: "moved a point", redo: null, ...more,
  };
}

// How often each event comes by.
export function heard(target, ...names) {
  const counts = Object.fromEntries(names.map((name) => [name, 0]));
  for (const name of names) target.addEventListener(name, () => (counts[name] += 1));
  return counts;
}

export const near = (a, b, most = 1e-4) => a.length === b.length && a.every((v, i) => Math.abs(v - b[i]) <= most);
