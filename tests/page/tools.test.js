// The pointer's tools: what a press, a drag and a release make, without a browser.

import assert from "node:assert/strict";
import { test } from "node:test";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { Swing } from "../../jaythread/static/desk/tools/arm.js";
import { Dividing } from "../../jaythread/static/desk/tools/dividing.js";
import { Readymade } from "../../jaythread/static/desk/tools/readymade.js";
import { Stroke } from "../../jaythread/static/desk/tools/stroke.js";
import { Tracing } from "../../jaythread/static/desk/tools/tracing.js";
import { deskData, FIRST, near } from "./build.js";

const SCALE = 0.5; // screen px per plate px
const at = (x, y) => ({ x, y, sx: x * SCALE, sy: y * SCALE, scale: SCALE });
const plain = { shiftKey: false };
const shift = { shiftKey: true };

function desk() {
  const said = { traced: [], told: [], carried: [], stopped: 0 };
  return {
    said, store: new Store(deskData()), stage: { draw() {} }, traced: (command) => said.traced.push(command), tell: (text) => said.told.push(text),
    carriedOn: (...given) => said.carried.push(given), stopTracing: () => (said.stopped += 1), pointer: { place: (e) => e },
  };
}

const click = (tool, x, y) => {
  tool.down(plain, at(x, y));
  tool.up(plain, at(x, y));
};

test("clicks make corners, a drag makes a curve, a click on the first point closes", () => {
  const it = desk();
  const tool = new Tracing(it);
  click(tool, 100, 100);
  tool.down(plain, at(300, 100));
  tool.move(plain, at(340, 130));
  tool.up(plain, at(340, 130));
  click(tool, 300, 300);
  assert.ok(tool.nearFirst(at(110, 105)) && !tool.nearFirst(at(200, 100)));
  click(tool, 104, 102);
  const [command] = it.said.traced;
  assert.deepEqual(command.points, [[100, 100, 0, 0, 0, 0], [300, 100, -40, -30, 40, 30], [300, 300, 0, 0, 0, 0]]);
  assert.deepEqual([command.curves, command.frame, command.do], [[false, true, false], FIRST, "trace"]);
  assert.notEqual(command.shape, command.entry);
  assert.ok(!tool.any, "the hand is free");
});

test("an outline belongs to the frame on which it was begun", () => {
  const it = desk();
  const tool = new Tracing(it);
  click(tool, 0, 0);
  it.store.view.go(FIRST + 4);
  for (const [x, y] of [[200, 0], [200, 200]]) click(tool, x, y);
  tool.finish();
  assert.equal(it.said.traced[0].frame, FIRST);
});

test("too few points make no outline, and say so; taking back and dropping", () => {
  const it = desk();
  const tool = new Tracing(it);
  for (const [x, y] of [[0, 0], [200, 0]]) click(tool, x, y);
  tool.finish();
  assert.match(it.said.told[0], /at least three points/);
  assert.equal(tool.points.length, 2, "what is there stays in hand");
  tool.takeBack();
  assert.equal(tool.points.length, 1);
  tool.cancel();
  assert.deepEqual([tool.any, it.said.stopped], [false, 0]);
  tool.cancel();
  assert.equal(it.said.stopped, 1, "once more leaves tracing");
});

test("a closed outline is taken up again, open before the chosen point", () => {
  const it = desk();
  const tool = new Tracing(it);
  const body = it.store.document.shapes.get("body");
  tool.reopen(body, it.store.pending.outline(body), 2);
  assert.deepEqual(tool.points[0].slice(0, 2), [180, 180]);
  click(tool, 150, 90);
  tool.finish();
  const [id, frame, points, curves] = it.said.carried[0];
  assert.deepEqual([id, frame, points.length, curves.length], ["body", FIRST, 5, 5]);
  assert.deepEqual(it.said.traced, []);
});

test("a box and an ellipse between two corners, whichever way the hand goes", () => {
  const it = desk();
  const tool = new Readymade(it);
  it.store.view.set("drawing", "box");
  tool.down(plain, at(300, 200));
  tool.up(plain, at(100, 100));
  assert.deepEqual(it.said.traced[0].points.map((p) => p.slice(0, 2)), [[100, 100], [300, 100], [300, 200], [100, 200]]);
  assert.deepEqual(it.said.traced[0].curves, [false, false, false, false]);
  it.store.view.set("drawing", "ellipse");
  tool.down(plain, at(100, 100));
  tool.up(plain, at(300, 200));
  const { points, curves } = it.said.traced[1];
  assert.deepEqual(points.map((p) => p.slice(0, 2)), [[200, 100], [300, 150], [200, 200], [100, 150]]);
  assert.ok(curves.every(Boolean));
  for (const [, , ix, iy, ox, oy] of points) assert.ok(near([ix, iy], [-ox, -oy]), "smooth");
});

test("with Shift it is as wide as high; without a drag nothing is made", () => {
  const it = desk();
  const tool = new Readymade(it);
  it.store.view.set("drawing", "box");
  tool.down(shift, at(100, 100));
  tool.up(shift, at(160, 20));
  assert.deepEqual(it.said.traced[0].points[0].slice(0, 2), [100, 20]);
  assert.deepEqual(it.said.traced[0].points[2].slice(0, 2), [180, 100]);
  click(tool, 50, 50);
  assert.equal(it.said.traced.length, 1);
  assert.match(it.said.told[0], /corner to corner/);
});

test("a dividing edge runs along the drag, with Shift by steps of 15 degrees", () => {
  const it = desk();
  const tool = new Dividing(it);
  tool.down(plain, at(100, 100));
  tool.up(plain, at(300, 140));
  assert.deepEqual([it.said.traced[0].kind, it.said.traced[0].points], ["dividing", [[100, 100, 0, 0, 200, 40]]]);
  tool.down(shift, at(100, 100));
  tool.up(shift, at(300, 108));
  const [, , , , dx, dy] = it.said.traced[1].points[0];
  assert.ok(Math.abs(dy) < 1e-9 && Math.abs(dx - Math.hypot(200, 8)) < 1e-9);
  click(tool, 40, 40);
  assert.match(it.said.told[0], /Drag along the edge/);
  tool.cancel();
  assert.equal(it.said.stopped, 1);
});

test("a stroke keeps places a step apart, those between two events too", () => {
  const it = desk();
  const tool = new Stroke(it, 4);
  tool.down({}, at(0, 0));
  tool.move({}, at(2, 0));
  assert.equal(tool.path.length, 1, "a pixel of the screen is no step");
  tool.move({ getCoalescedEvents: () => [at(10, 0), at(20, 0), at(21, 0)] }, at(30, 0));
  assert.deepEqual(tool.path.map(([x]) => x), [0, 10, 20, 30]);
  tool.cancel();
  assert.deepEqual([tool.path.length, it.said.stopped], [0, 0]);
  tool.cancel();
  assert.equal(it.said.stopped, 1);
});

test("an arm turns past whole turns, and sizes by the way from the pivot", () => {
  const turning = new Swing("turn", [100, 100], at(200, 100));
  for (let k = 1; k <= 9; k++) {
    const angle = (k * 50 * Math.PI) / 180;
    turning.move(at(100 + 100 * Math.cos(angle), 100 + 100 * Math.sin(angle)), false);
  }
  assert.ok(Math.abs(turning.turn - 450) < 1e-6);
  const sizing = new Swing("size", [100, 100], at(150, 100));
  sizing.move(at(200, 100), false);
  assert.ok(Math.abs(sizing.size - 2) < 1e-9 && sizing.turn === 0);
});
