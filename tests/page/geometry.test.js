// What the page works out by itself while the hand is on the pen.

import assert from "node:assert/strict";
import { test } from "node:test";
import * as outline from "../../jaythread/static/desk/geom/outline.js";
import { everyReach, reachLines } from "../../jaythread/static/desk/geom/reach.js";
import * as view from "../../jaythread/static/desk/geom/view.js";
import { near } from "./build.js";

const CORNERS = [[0, 0], [10, 0], [10, 10], [0, 10]];
const SQUARE = new Float32Array(CORNERS.flatMap(([x, y]) => [x, y, 0, 0, 0, 0]));
const K = 5.522847; // tangents of a quarter circle of radius 10
const CIRCLE = new Float32Array([
  10, 0, 0, -K, 0, K,
  0, 10, K, 0, -K, 0,
  -10, 0, 0, K, 0, -K,
  0, -10, -K, 0, K, 0,
]);
const EDGE = new Float32Array([50, 50, -1, 0, 1, 0]); // a dividing edge that runs to the right

test("a place on the picture comes back from the screen", () => {
  for (const scale of [0.1, 0.45, 1, 8]) {
    const it = view.makeView(scale, 13, -70);
    assert.ok(near(view.toPlate(it, ...view.toScreen(it, 812.5, 33.25)), [812.5, 33.25], 1e-9));
  }
});

test("zooming leaves what is under the pointer where it is, and ends at its limits", () => {
  let it = view.makeView(0.5, 20, 10);
  const under = view.toPlate(it, 300, 200);
  for (let k = 0; k < 40; k++) {
    it = view.zoomAt(it, 1.5, 300, 200);
    assert.ok(near(view.toPlate(it, 300, 200), under, 1e-6));
  }
  assert.equal(it.scale, view.LARGEST);
  for (let k = 0; k < 80; k++) it = view.zoomAt(it, 0.5, 300, 200);
  assert.equal(it.scale, view.SMALLEST);
});

test("a view is never changed in place", () => {
  const it = view.makeView(1, 0, 0);
  assert.deepEqual(view.pan(it, 5, 6), { scale: 1, x: 5, y: 6 });
  assert.deepEqual(it, { scale: 1, x: 0, y: 0 });
  assert.throws(() => (it.x = 3), TypeError);
});

test("the whole picture fits with a margin on every side", () => {
  for (const stage of [[1000, 560], [400, 900]]) {
    const it = view.fit([1920, 1080], stage);
    const [left, top] = view.toScreen(it, 0, 0);
    const [right, bottom] = view.toScreen(it, 1920, 1080);
    assert.ok(left > 0 && top > 0 && right < stage[0] && bottom < stage[1]);
    assert.ok(Math.abs(left - (stage[0] - right)) < 1e-6 && Math.abs(top - (stage[1] - bottom)) < 1e-6);
  }
});

test("a box comes to the middle, and a single point is not blown up to nothing else", () => {
  const it = view.around([300, 200, 340, 260], [1000, 600]);
  assert.ok(near(view.toScreen(it, 320, 230), [500, 300], 1e-6));
  assert.ok(view.around([300, 200, 300, 200], [1000, 600]).scale <= 600 / 80);
});

test("pixel for pixel lies on whole pixels of the screen", () => {
  const it = view.exact(view.makeView(0.37, 11.3, -4.7), [1000, 561]);
  assert.equal(it.scale, 1);
  assert.ok(Number.isInteger(it.x) && Number.isInteger(it.y));
});

test("a circle of four curves is a circle", () => {
  for (let segment = 0; segment < 4; segment++) {
    for (const t of [0, 0.2, 0.5, 0.9]) {
      const [x, y] = outline.cubicAt(CIRCLE, segment, t);
      assert.ok(Math.abs(Math.hypot(x, y) - 10) < 0.01, `${segment} ${t}`);
    }
  }
});

test("the nearest place on an outline", () => {
  const found = outline.nearest(SQUARE, 3, -2);
  assert.equal(found.segment, 0);
  assert.ok(Math.abs(found.distance - 2) < 0.02);
  const round = outline.nearest(CIRCLE, 14, 14);
  assert.ok(Math.abs(round.distance - (Math.hypot(14, 14) - 10)) < 0.02);
});

test("how far a place is from a dividing edge, anywhere along it", () => {
  assert.equal(outline.nearest(EDGE, 900, 57).distance, 7);
  assert.equal(outline.nearest(EDGE, -900, 41).distance, 9);
});

test("inside and outside", () => {
  assert.ok(outline.winds(SQUARE, 5, 5) && !outline.winds(SQUARE, 15, 5) && !outline.winds(SQUARE, 5, -1));
  assert.ok(outline.winds(CIRCLE, 6.5, 6.5) && !outline.winds(CIRCLE, 7.5, 7.5));
  assert.ok(outline.winds(EDGE, 50, 60) !== outline.winds(EDGE, 50, 40), "a dividing edge covers one of its sides");
});

test("the box of an outline holds its tangents too", () => {
  assert.deepEqual(outline.bounds(SQUARE), [0, 0, 10, 10]);
  const box = outline.bounds(CIRCLE);
  assert.ok(box[0] <= -10 && box[2] >= 10 && box[1] <= -10 && box[3] >= 10);
  assert.deepEqual(outline.union(null, [1, 2, 3, 4]), [1, 2, 3, 4]);
  assert.deepEqual(outline.union([0, 3, 2, 9], [1, 2, 3, 4]), [0, 2, 3, 9]);
});

test("placing moves points and turns tangents about the pivot", () => {
  const moved = outline.placed(CIRCLE, [0, 0], [3, -4], 0, 1);
  assert.ok(near([...moved.slice(0, 6)], [13, -4, 0, -K, 0, K]));
  const turned = outline.placed(CIRCLE, [0, 0], [0, 0], 90, 2);
  assert.ok(near([...turned.slice(0, 6)], [0, 20, 2 * K, 0, -2 * K, 0], 1e-4));
  assert.ok(near([...outline.placed(SQUARE, [10, 10], [0, 0], 180, 1).slice(0, 2)], [20, 20]));
});

test("only the chosen points move, turn and grow", () => {
  const moved = outline.shifted(SQUARE, [1, 2], 5, 0);
  assert.deepEqual([0, 1, 2, 3].map((i) => moved[i * 6]), [0, 15, 15, 0]);
  const grown = outline.turned(SQUARE, [0, 2], [5, 5], 0, 2);
  assert.deepEqual([0, 1, 2, 3].map((i) => [grown[i * 6], grown[i * 6 + 1]]), [[-5, -5], [10, 0], [15, 15], [0, 10]]);
  assert.equal(SQUARE[6], 10, "the outline that was there stays");
});

test("the other tangent of a curve turns with the one that is dragged, that of a corner stays", () => {
  const curve = outline.turnTangent(CIRCLE, 0, 4, 10 + 3, 4, true);
  assert.ok(near([...curve.slice(4, 6)], [3, 4]));
  assert.ok(near([...curve.slice(2, 4)], [-0.6 * K, -0.8 * K]), "opposite, and as long as before");
  const corner = outline.turnTangent(CIRCLE, 0, 4, 13, 4, false);
  assert.ok(near([...corner.slice(2, 4)], [0, -K]));
});

test("a corner opens along its bisector", () => {
  const angle = outline.bisector(SQUARE, 0);
  assert.ok(Math.abs(angle - Math.PI / 4) < 1e-6);
});

test("points without a reach of their own take it from their neighbours, by the way between", () => {
  assert.deepEqual(everyReach(SQUARE, [[2, 4], null, [6, 8], null]), [[2, 4], [4, 6], [6, 8], [4, 6]]);
  assert.deepEqual(everyReach(SQUARE, [[1, 1], null, null, null]), [[1, 1], [1, 1], [1, 1], [1, 1]]);
  const long = new Float32Array([[0, 0], [30, 0], [40, 0], [20, 30]].flatMap(([x, y]) => [x, y, 0, 0, 0, 0]));
  assert.ok(near(everyReach(long, [[0, 0], null, [4, 8], [0, 0]])[1], [3, 6], 1e-9), "three quarters of the way");
});

test("the lines of a reach lie inside and outside, whichever way the outline runs", () => {
  const back = new Float32Array([...CORNERS].reverse().flatMap(([x, y]) => [x, y, 0, 0, 0, 0]));
  for (const points of [SQUARE, back]) {
    const lines = reachLines(points, points.length === 24 ? [[2, 3], [2, 3], [2, 3], [2, 3]] : [], 0);
    const side = lines.edge.findIndex(([x, y]) => y === 0 && x > 4 && x < 7);
    assert.ok(Math.abs(lines.inner[side][1] - 2) < 1e-6 && Math.abs(lines.outer[side][1] + 3) < 1e-6);
  }
  const shifted = reachLines(SQUARE, [[2, 3], [2, 3], [2, 3], [2, 3]], 2.5);
  const side = shifted.edge.findIndex(([x, y]) => y === 0 && x > 4 && x < 7);
  assert.equal(shifted.inner[side][1], 0, "an edge shift eats the inner reach first");
  assert.ok(Math.abs(shifted.outer[side][1] + 5.5) < 1e-6);
});

test("an outline is drawn as cubics on the screen, closed", () => {
  const said = [];
  const pen = {
    moveTo: (...p) => said.push(["move", ...p]),
    bezierCurveTo: (...p) => said.push(["curve", ...p]),
    closePath: () => said.push(["close"]),
  };
  outline.trace(pen, SQUARE, view.makeView(2, 100, 50));
  assert.deepEqual(said[0], ["move", 100, 50]);
  assert.equal(said.filter(([what]) => what === "curve").length, 4);
  assert.deepEqual(said[1].slice(-2), [120, 50]);
  assert.deepEqual(said.at(-1), ["close"]);
  said.length = 0;
  outline.trace(pen, new Float32Array(0), view.makeView(1, 0, 0));
  assert.deepEqual(said, []);
});
