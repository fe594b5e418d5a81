// What the desk knows, in slices: the document, what is chosen, how one looks, what is under way.

import assert from "node:assert/strict";
import { test } from "node:test";
import { follows } from "../../jaythread/static/desk/model/follows.js";
import { hit, inLoop, stackedAt } from "../../jaythread/static/desk/model/hit.js";
import { endHere, offHere, startHere } from "../../jaythread/static/desk/model/live.js";
import { Player } from "../../jaythread/static/desk/model/player.js";
import { touches } from "../../jaythread/static/desk/model/sentences.js";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { deskData, FIRST, heard, LAST, near, packed, shapeData, square } from "./build.js";

const desk = (more) => new Store(deskData(more));
const shapeOf = (store, id) => store.document.shapes.get(id);

test("a desk opens on the first frame with the topmost outline chosen", () => {
  const store = desk();
  assert.equal(store.view.frame, FIRST);
  assert.equal(store.selection.chosen, "patch");
  assert.equal(store.selection.matte, "kite");
  assert.equal(store.selection.track, "spars");
});

test("an outline is read per frame, and beyond the range at its end", () => {
  const store = desk();
  const body = shapeOf(store, "body");
  assert.deepEqual([...store.pending.outline(body).slice(0, 2)], [100, 100]);
  assert.deepEqual([...store.pending.outline(body, FIRST + 3).slice(0, 2)], [106, 100]);
  assert.deepEqual([...store.pending.outline(body, LAST + 50)], [...store.pending.outline(body, LAST)]);
});

test("what the server tells is taken in whole: new, changed, gone", () => {
  const store = desk();
  const counts = heard(store, "taken", "changed");
  store.document.take({
    revision: 13, shapes: [shapeData("body", "kite body", square(200, 100, 80), { revision: 2 })], gone: ["patch"], undo: "moved kite body", redo: null,
    mattes: [{ ...store.document.mattes[0], stack: [store.document.mattes[0].stack[0]] }],
  });
  assert.equal(store.document.revision, 13);
  assert.equal(store.pending.outline(shapeOf(store, "body"))[0], 200);
  assert.equal(shapeOf(store, "patch"), undefined);
  assert.ok(!store.selection.has("patch"), "what is gone is chosen no longer");
  assert.equal(store.document.undo, "moved kite body");
  assert.deepEqual(counts, { taken: 1, changed: 1 });
});

test("the whole state in place of what was known", () => {
  const store = desk();
  const data = deskData();
  data.shapes = data.shapes.slice(0, 1);
  store.document.takeAll(data);
  assert.deepEqual([...store.document.shapes.keys()], ["body"]);
});

test("a shot too long to open with all outlines gets them afterwards, unless they are of another revision", () => {
  const data = deskData();
  for (const shape of data.shapes.slice(0, 2)) {
    const [opening] = [packed(square(100, 100, 80).slice(0, 24))];
    Object.assign(shape, { outlines: null, opening });
  }
  const store = new Store(data);
  assert.ok(store.document.incomplete);
  assert.ok(store.pending.isStale(shapeOf(store, "body")) === false, "the first frame is known");
  store.view.go(FIRST + 2);
  assert.ok(store.pending.isStale(shapeOf(store, "body")));
  const floats = new Float32Array(square(100, 100, 80, 2));
  let head = `${JSON.stringify([["body", 1, floats.length], ["patch", 99, 0]])}`;
  while ((head.length + 1) % 4) head += " ";
  const buffer = Buffer.concat([Buffer.from(`${head}\n`), Buffer.from(floats.buffer)]);
  store.document.fill(buffer.buffer.slice(buffer.byteOffset, buffer.byteOffset + buffer.length));
  assert.equal(store.pending.outline(shapeOf(store, "body"))[0], 104);
  assert.ok(!store.pending.isStale(shapeOf(store, "body")));
  assert.equal(shapeOf(store, "patch").outlines, null, "of another revision");
});

test("a shape that was traced just now is shown, stacked and chosen before the server knows it", () => {
  const store = desk();
  const points = [[0, 0, 0, 0, 0, 0], [9, 0, 0, 0, 0, 0], [9, 9, 0, 0, 0, 0]];
  store.provisional({ shape: "sail", entry: "l9", matte: "kite", name: "sail", colour: 3, curves: [false, false, false], points, frame: FIRST, mode: "add" });
  assert.equal(store.selection.chosen, "sail");
  assert.equal(store.selection.stack().at(-1).shape, "sail");
  assert.equal(store.pending.outline(shapeOf(store, "sail")).length, 18);
  store.view.go(FIRST + 1);
  assert.ok(store.pending.isStale(shapeOf(store, "sail")), "on other frames it is a guess");
});

test("names that are taken get a number", () => {
  const { document } = desk();
  assert.equal(document.freeName("fringe"), "fringe");
  assert.equal(document.freeName("patch"), "patch 2");
  assert.equal(document.freeName("shape", 1), "shape 1");
});

test("keys around a frame, live ranges, how far a track is known", () => {
  const { document } = desk();
  const patch = document.shapes.get("patch");
  assert.deepEqual(document.keysAround(patch, FIRST + 3), [FIRST, FIRST + 6]);
  assert.deepEqual(document.keysAround(patch, FIRST), [FIRST + 6]);
  assert.ok(document.isLive(patch, LAST));
  assert.ok(!document.isLive({ ...patch, live: [[FIRST, FIRST + 2]] }, FIRST + 3));
  const track = document.tracks.get("spars");
  assert.ok(document.knows(track, FIRST + 2) && !document.knows(track, FIRST + 3));
});

test("choosing replaces, adds, and tells the points", () => {
  const { selection } = desk();
  selection.choose("body", [0, 1]);
  assert.deepEqual(selection.ids, ["body"]);
  selection.choose("patch", [2], true);
  assert.deepEqual([selection.chosen, selection.pointCount], ["patch", 3]);
  selection.choose("body", [3], true);
  assert.deepEqual([...selection.pointsOf("body")], [0, 1, 3], "those that were chosen stay");
  assert.equal(selection.chosen, "body", "the last chosen one is the one that the panel speaks of");
  selection.letPointGo("body", 0);
  selection.letPointsGo();
  assert.deepEqual([selection.size, selection.pointCount], [2, 0]);
  selection.choose(null);
  assert.equal(selection.shape, null);
});

test("another matte keeps of what is chosen what stands in it", () => {
  const { selection } = desk();
  selection.choose("body");
  selection.choose("patch", [], true);
  selection.turnTo("hole");
  assert.deepEqual(selection.ids, ["patch"]);
  selection.turnTo("kite");
  assert.deepEqual(selection.lines().map((l) => l.shape), ["body", "patch", "pair"]);
  assert.deepEqual(selection.stack().map((l) => l.shape), ["body", "patch"], "a group has no outline");
});

test("what is locked, or not one's own to trace, does not move", () => {
  const data = deskData();
  data.shapes[0].locked = true;
  const store = new Store(data);
  store.selection.choose("body");
  store.selection.choose("patch", [], true);
  assert.deepEqual(store.selection.movable.map((s) => s.id), ["patch"]);
  const guest = desk({ mayTrace: false });
  assert.deepEqual(guest.selection.movable, []);
});

test("the shapes of a chosen group are in hand with it", () => {
  const data = deskData();
  data.shapes[0].group = data.shapes[1].group = "pair";
  const { selection } = new Store(data);
  selection.choose("pair");
  assert.deepEqual([...selection.inHand].sort(), ["body", "patch"]);
});

test("a drag lies over the document until the server has answered", () => {
  const store = desk();
  const body = shapeOf(store, "body");
  const dragged = Float32Array.from(store.pending.outline(body), (v) => v + 5);
  store.pending.hold("body");
  store.pending.setOutline(body, dragged);
  assert.equal(store.pending.outline(body)[0], 105);
  assert.equal(store.pending.outline(body, FIRST + 1)[0], 102, "on this frame only");
  store.document.take({ shapes: [shapeData("body", "kite body", square(100, 100, 80, 2), { revision: 2 })] });
  assert.equal(store.pending.outline(shapeOf(store, "body"))[0], 105, "what is under the hand stays under the hand");
  store.pending.letGo("body");
  store.pending.waitsFor = (id) => id === "body";
  store.document.take({ shapes: [shapeData("body", "kite body", square(100, 100, 80, 2), { revision: 3 })] });
  assert.equal(store.pending.outline(shapeOf(store, "body"))[0], 105, "more edits of it are on their way");
  store.pending.waitsFor = () => false;
  store.document.take({ shapes: [shapeData("body", "kite body", square(105, 105, 80, 2), { revision: 4 })] });
  assert.ok(!store.pending.any);
  assert.equal(store.pending.outline(shapeOf(store, "body"))[0], 105);
});

test("the soft edge as it is dragged: of the whole shape, or of the chosen points only", () => {
  const data = deskData();
  data.shapes[0].soft = [[2, 6, 1, 1, 0.5]];
  const store = new Store(data);
  const body = shapeOf(store, "body");
  assert.deepEqual(store.pending.soft(body), { inner: 2, outer: 6, shift: 1, opacity: 1, lens: 0.5 });
  assert.equal(store.pending.reaches(body), null);
  store.pending.setSoft("body", { outer: 9 });
  assert.equal(store.pending.soft(body).outer, 9);
  assert.equal(store.pending.mostReach(body), 12);
  store.selection.choose("body", [1]);
  assert.deepEqual(store.pending.reaches(body), [[2, 6], [2, 9], [2, 6], [2, 6]]);
});

test("reaches of points grow with the largest of them", () => {
  const data = deskData();
  data.shapes[0].reaches = [[[2, 4], null, [4, 8], null]];
  const store = new Store(data);
  const body = shapeOf(store, "body");
  assert.deepEqual([store.pending.soft(body).inner, store.pending.soft(body).outer], [4, 8]);
  store.pending.setSoft("body", { outer: 16 });
  assert.deepEqual(store.pending.reaches(body), [[2, 8], null, [4, 16], null]);
});

test("the way of a point and of a track, with what is just being found", () => {
  const store = desk();
  store.view.go(FIRST + 1);
  const way = store.pending.wayOf(shapeOf(store, "patch"), 0, 1);
  assert.deepEqual(way.map((p) => [p.x, p.key]), [[130, true], [132, false], [134, false]]);
  const track = store.document.tracks.get("spars");
  store.pending.setTrack({ track: "spars", frame: FIRST + 1, points: [[1, 2]] });
  assert.deepEqual(store.pending.trackPoints(track), [[1, 2]]);
  const found = store.pending.trackWay(track, [[FIRST + 3, [[150, 141]], 0.8]]);
  assert.deepEqual(found.map((f) => f.frame - FIRST), [0, 1, 2, 3]);
  assert.deepEqual(found.map((f) => f.manual), [true, false, false, false]);
  assert.ok(found[1].here && near([found[3].x, found[3].y], [150, 141]));
});

test("the frame stays in the range, and says so once", () => {
  const { view } = desk();
  const counts = heard(view, "frame", "changed");
  view.go(LAST + 20);
  view.go(LAST);
  view.go(NaN);
  assert.deepEqual([view.frame, counts.frame], [LAST, 1]);
  view.set("mode", "tint");
  view.set("mode", "tint");
  assert.equal(counts.changed, 1);
  assert.throws(() => view.set("moed", "tint"), /no moed/);
});

test("neighbours are the keys around, or frames so far off within the range", () => {
  const store = desk();
  store.view.go(FIRST + 3);
  store.view.set("neighbours", "keys");
  assert.deepEqual(store.view.neighboursOf(shapeOf(store, "patch")), [FIRST, FIRST + 6]);
  store.view.set("neighbours", "4");
  assert.deepEqual(store.view.neighboursOf(shapeOf(store, "patch")), [FIRST + 7]);
});

test("hidden shapes are kept for this person and shot; a track that is gone holds nothing still", () => {
  const store = desk();
  store.view.hiddenShapes.toggle(["body", "patch"]);
  assert.ok(!store.view.hiddenShapes.isShown("body"));
  assert.match(localStorage.getItem("jaythread-marks-7"), /body/);
  store.view.hiddenShapes.toggleAlone("body");
  assert.ok(store.view.hiddenShapes.isShown("body") && !store.view.hiddenShapes.isShown("pair"));
  store.view.hiddenShapes.toggleAlone("body");
  store.view.hiddenShapes.toggle(["body", "patch"]);
  assert.ok(store.view.hiddenShapes.isShown("patch"), "all of them were hidden: they show again");
  store.view.set("steadyOn", "spars");
  store.document.take({ shapes: [], tracks: [] });
  assert.equal(store.view.steadyOn, null);
});

test("of each job the newest counts, and only what has changed is told", () => {
  const { jobs } = desk();
  const told = [];
  jobs.addEventListener("jobs", (e) => told.push(e.detail.map((j) => j.id)));
  const job = (id, state, more = {}) => ({ id, kind: "fit.measure", subject: "kite", state, done: 0, total: 0, percent: 0, message: "", partial: null, settings: null, ...more });
  jobs.take([job(4, "working")]);
  jobs.take([job(4, "working")]);
  jobs.take([job(3, "stopped")]);
  assert.ok(jobs.isBusy("fit.measure", "kite") && jobs.anyBusy && !jobs.isBusy("fit.measure", "hole"));
  jobs.take([job(4, "done"), job(5, "waiting", { subject: "hole" })]);
  assert.ok(!jobs.isBusy("fit.measure", "kite") && jobs.isBusy("fit.measure", "hole"));
  assert.deepEqual(told, [[4], [4, 5]]);
});

test("what a press would take: tangents and points of what is chosen, then edges, then others", () => {
  const data = deskData();
  data.shapes[0].outlines = packed(square(100, 100, 80).map((v, i) => (i % 24 === 4 ? 30 : v)));
  const store = new Store(data);
  store.selection.choose("body", [0]);
  assert.deepEqual(Object.values(hit(store, 1, 131, 100)).filter((v) => typeof v !== "object"), ["tangent", 0, 4]);
  assert.deepEqual([hit(store, 1, 103, 103).kind, hit(store, 1, 103, 103).index], ["point", 0]);
  const edge = hit(store, 1, 178, 145);
  assert.deepEqual([edge.kind, edge.shape.id, edge.segment], ["edge", "body", 1]);
  assert.deepEqual([hit(store, 1, 131, 140).kind, hit(store, 1, 131, 140).shape.id], ["edge", "patch"]);
  assert.equal(hit(store, 1, 115, 165), null);
  assert.equal(hit(store, 0.1, 115, 165).shape.id, "body", "zoomed out, nine pixels of the screen are many of the plate");
  store.view.hiddenShapes.toggle(["patch"]);
  assert.equal(hit(store, 1, 131, 140), null, "what is hidden is not taken");
  store.view.hiddenShapes.toggle(["patch"]);
});

test("all shapes under a place, from the bottom of the stack up", () => {
  const data = deskData();
  data.shapes[1].outlines = packed(square(100, 100, 80, 2));
  const store = new Store(data);
  assert.deepEqual(stackedAt(store, 1, 140, 100).map((s) => s.id), ["body", "patch"]);
  const loop = [[0, 0], [10, 0], [10, 10], [0, 10]];
  assert.ok(inLoop(loop, 5, 5) && !inLoop(loop, 15, 5));
});

test("live from here, until here, not here", () => {
  const shot = { first: 1, last: 20 };
  assert.deepEqual(startHere([], 5, shot), [[5, 20]]);
  assert.deepEqual(endHere([], 5, shot), [[1, 5]]);
  assert.deepEqual(offHere([], 5, shot), [[1, 4], [6, 20]]);
  assert.deepEqual(offHere([[5, 5], [8, 9]], 5, shot), [[8, 9]]);
  assert.deepEqual(startHere([[8, 12]], 3, shot), [[3, 12]]);
  assert.deepEqual(startHere([[1, 4]], 9, shot), [[1, 4], [9, 20]]);
  assert.deepEqual(endHere([[8, 12]], 3, shot), [[1, 3], [8, 12]]);
  assert.deepEqual(endHere([[1, 4], [8, 12]], 6, shot), [[1, 6], [8, 12]]);
});

test("a change is followed by two stretches on either side, by fewer where somebody looked at a frame", () => {
  const shot = { first: 1, last: 60 };
  const keys = [12, 29, 31, 33, 36, 38].map((frame) => ({ frame, parts: [], full: true }));
  assert.deepEqual(follows(shot, keys, 40, [], []), [37, 60]);
  assert.deepEqual(follows(shot, keys, 32, [], []), [30, 35]);
  assert.deepEqual(follows(shot, keys, 33, [2], []), [30, 37]);
  assert.deepEqual(follows(shot, keys, 20, [], [30]), [13, 28]);
  assert.deepEqual(follows(shot, keys, 14, [], [11]), [13, 30]);
  assert.deepEqual(follows(shot, keys, 5, [], []), [1, 28]);
  const some = [...keys, { frame: 50, parts: [3], full: false }];
  assert.deepEqual(follows(shot, some, 45, [3], []), [37, 49]);
  assert.deepEqual(follows(shot, some, 30, [0, 3], []), [13, 32]);
  assert.deepEqual(follows(shot, [keys[0]], 12, [], []), [1, 60]);
});

test("the line in the corner says what a change would touch", () => {
  const store = desk();
  const said = () => touches(store).join("");
  assert.match(said(), /Frame 1001: the points you move of patch will be keyed; frames 1001 to 1006 follow/);
  store.selection.choose("body", [0, 1]);
  assert.match(said(), /2 of 4 points of kite body will be keyed/);
  store.view.set("scope", "all");
  assert.match(said(), /ALL KEYS of kite body/);
  store.view.set("scope", "here");
  store.view.set("step", "soften");
  assert.match(said(), /the soft edge at 2 of 4 points/);
  store.view.set("step", "place");
  assert.match(said(), /the placement of kite body/);
  store.view.set("step", "carry");
  assert.match(said(), /the track cross of the spars by hand/);
  store.view.set("step", "trace");
  store.selection.choose("pair");
  assert.match(said(), /has no outline of its own/);
  store.selection.choose(null);
  assert.match(said(), /Nothing is chosen/);
  store.view.set("drawing", "ellipse");
  assert.match(said(), /Drag out the ellipse/);
  assert.match(touches(desk({ mayTrace: false })).join(""), /You can look here/);
  assert.match(touches(desk({ shapes: [], mattes: [] })).join(""), /press N/);
});

test("playing follows the clock and counts what it had to drop", () => {
  const store = desk();
  let tick = null;
  let now = 0;
  globalThis.requestAnimationFrame = (next) => (tick = next);
  const clock = performance.now;
  performance.now = () => now;
  try {
    const player = new Player(store);
    player.isThere = (frame) => frame !== FIRST + 3;
    player.toggle(1, true);
    const at = (frames) => tick((now = ((frames + 0.5) / 24) * 1000));
    at(1);
    assert.equal(store.view.frame, FIRST + 1);
    at(3);
    assert.equal(store.view.frame, FIRST + 3);
    assert.match(player.says, /2 of 3 frames dropped/);
    at(11);
    assert.equal(store.view.frame, FIRST + 1, "round and on");
    player.toggle(1);
    assert.deepEqual([store.view.frame, store.view.playing, player.says], [FIRST, 0, ""], "back where it began");
    player.mark(0, FIRST + 4);
    player.mark(1, FIRST + 6);
    assert.deepEqual(player.range, [FIRST + 4, FIRST + 6]);
    player.mark(1, FIRST + 6);
    player.mark(0, FIRST + 4);
    assert.equal(player.loop, null);
  } finally {
    performance.now = clock;
  }
});
