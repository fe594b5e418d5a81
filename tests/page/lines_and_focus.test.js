// Lines whose alpha is found: how they stand is asked for once, and again when more of them is found. And where typing goes.

import assert from "node:assert/strict";
import { afterEach, test } from "node:test";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { Fringes } from "../../jaythread/static/desk/net/fringes.js";
import { Taught } from "../../jaythread/static/desk/net/taught.js";
import { focusWhenShown } from "../../jaythread/static/focus.js";
import { deskData, line } from "./build.js";

const timers = [];
const setLater = globalThis.setTimeout;
globalThis.setTimeout = (act) => timers.push(act) && 0;
afterEach(() => timers.splice(0));
const soon = () => new Promise((done) => setLater(done, 5));

// A desk whose patch is a line of a mode, chosen; told: what the server says of it, in turn.
function desk(Line, mode, ...told) {
  const asked = [];
  globalThis.fetch = async (path) => {
    asked.push(path);
    return { ok: true, status: 200, json: async () => (told.length > 1 ? told.shift() : told[0]) };
  };
  const store = new Store(deskData({ mattes: [{ id: "kite", name: "kite", inverted: false, shift: [], shifts: [], sentence: "", stack: [line("l1", "body"), line("l2", "patch", mode)] }] }));
  store.selection.choose("patch");
  const mattes = Object.assign(new EventTarget(), { more: 0, solvedMore() { this.more += 1; } });
  const work = { asked: [], ask(...said) { this.asked.push(said); }, cancel(job) { this.asked.push(job); } };
  const edits = { waiting: [], run: async () => {} };
  return { found: new Line(store, edits, mattes, work, { ask: async () => {} }), store, asked, mattes, work, edits };
}

const run = async () => {
  for (const act of timers.splice(0)) act();
  await soon();
};
const job = (kind, more = {}) => ({ id: 5, kind, subject: "l2", state: "working", percent: 10, message: "", partial: null, ...more });

test("how a line stands is asked for once a change is over, and again when more of it is found", async () => {
  const it = desk(Fringes, "solve", { frames: [1001] }, { frames: [1001, 1002] });
  it.found.later(0);
  await run();
  assert.deepEqual([it.asked, it.found.state.frames], [["/api/shots/7/fringes/l2"], [1001]]);
  it.found.later(0);
  await run();
  assert.equal(it.asked.length, 1); // nothing has changed
  it.store.jobs.take([job("fringe.solve")]);
  await run();
  assert.deepEqual([it.asked.length, it.found.state.frames.length, it.mattes.more], [2, 2, 1]);
  it.store.jobs.take([{ ...job("fringe.solve"), id: 6, subject: "l1" }]);
  await run();
  assert.equal(it.asked.length, 2); // that was another line
});

test("while an edit is on its way it is not asked for yet", async () => {
  const it = desk(Fringes, "solve", { frames: [] });
  it.edits.waiting.push({});
  it.found.later(0);
  await run();
  assert.equal(it.asked.length, 0);
  it.edits.waiting.splice(0);
  await run();
  assert.equal(it.asked.length, 1);
});

test("a taught line shows the frame that is tried while it is taught, and any finished one afterwards", async () => {
  const it = desk(Taught, "teach", { finished: [{ frame: 1001, unseen: true }, { frame: 1004, unseen: false }], filled: [1001, 1002], new: false });
  it.found.later(0);
  await run();
  assert.deepEqual(it.found.state.frames, [1001, 1002]);
  assert.match(it.found.unseen(1001), /^\/api\/shots\/7\/taught\/l2\/pair\/1001\?unseen=true/);
  assert.equal(it.found.unseen(1004), "");
  it.store.jobs.take([job("taught.teach", { partial: { frame: 1004, off: 0.1 } })]);
  const first = it.found.unseen(1001);
  assert.match(first, /pair\/1004\?unseen=true/);
  it.store.jobs.take([job("taught.teach", { percent: 20, partial: { frame: 1004, off: 0.05 } })]);
  assert.notEqual(it.found.unseen(1001), first); // it is fetched anew when it is better
});

test("what is stopped is what goes on: teaching, or else the making of an outline", () => {
  const it = desk(Taught, "teach", { finished: [], filled: [] });
  it.found.makeOutline();
  it.store.jobs.take([job("taught.outline")]);
  it.found.cancel();
  it.store.jobs.take([{ ...job("taught.teach"), id: 7 }]);
  it.found.cancel();
  assert.deepEqual([it.work.asked[0], it.work.asked[1].kind, it.work.asked[2].kind], [["taught.outline", "l2"], "taught.outline", "taught.teach"]);
});

test("a field that is still hidden gets the focus once it shows", () => {
  const pictures = [];
  globalThis.requestAnimationFrame = (act) => pictures.push(act);
  const field = { shown: false, focus() { if (this.shown) document.activeElement = this; } };
  focusWhenShown(field);
  assert.equal(pictures.length, 1);
  pictures.shift()();
  field.shown = true;
  pictures.shift()();
  assert.deepEqual([document.activeElement === field, pictures.length], [true, 0]);
  focusWhenShown({ focus() {} }, 2);
  while (pictures.length) pictures.shift()();
  assert.equal(document.activeElement, field); // what never shows is given up
});
