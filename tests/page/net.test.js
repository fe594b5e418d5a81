// Edits on their way to the server: nothing is lost, nothing is overwritten unseen; and news of others.

import assert from "node:assert/strict";
import { afterEach, test } from "node:test";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { Edits } from "../../jaythread/static/desk/net/edits.js";
import { News } from "../../jaythread/static/desk/net/news.js";
import { Work } from "../../jaythread/static/desk/net/work.js";
import { deskData, FIRST, shapeData, square } from "./build.js";

const timers = [];
const setLater = globalThis.setTimeout;
globalThis.setTimeout = (act, wait) => timers.push({ act, wait }) && 0;
afterEach(() => timers.splice(0));

const soon = () => new Promise((done) => setLater(done, 5));
const move = (shape) => ({ do: "form", shape, frame: FIRST, points: { 0: [1, 2, 0, 0, 0, 0] } });
const answered = (revision, shapes = []) => ({ status: 200, body: { revision, shapes, summary: "moved a point", undo: "moved a point", redo: null } });

// A server that answers as it is told, and writes down what it was asked.
function server(...answers) {
  const asked = [];
  globalThis.fetch = async (path, options) => {
    asked.push({ path, method: options.method, headers: options.headers, body: options.body ? JSON.parse(options.body) : null });
    const next = answers.length > 1 ? answers.shift() : answers[0];
    const { status, body } = typeof next === "function" ? next(asked.at(-1)) : next;
    if (!status) throw new TypeError("no connection");
    return { ok: status < 400, status, json: async () => body };
  };
  return asked;
}

test("an edit says on which revision it was made, and its answer is taken in", async () => {
  const store = new Store(deskData());
  const asked = server(answered(13, [shapeData("body", "kite body", square(1, 2, 80), { revision: 2 })]));
  const edits = new Edits(store, "3");
  const done = [];
  edits.addEventListener("done", (e) => done.push(e.detail));
  await edits.push(move("body"));
  assert.equal(asked[0].path, "/api/shots/7/edits");
  assert.equal(asked[0].headers["X-CSRFToken"], "abc");
  assert.deepEqual(asked[0].body.base, { body: 1 });
  assert.equal(store.document.revision, 13);
  assert.deepEqual([done, edits.state, edits.waiting.length], [["moved a point"], "all saved", 0]);
});

test("an edit made on top of one that is on its way stands on the revision that its answer brings", async () => {
  const store = new Store(deskData());
  const asked = server(answered(13, [shapeData("body", "kite body", square(1, 2, 80), { revision: 2 })]), answered(14));
  const edits = new Edits(store, "3");
  const first = edits.push(move("body"));
  edits.push(move("body"));
  assert.equal(edits.state, "saving");
  await first;
  assert.deepEqual(asked.map((a) => a.body.base.body), [1, 2]);
  assert.notEqual(asked[0].body.id, asked[1].body.id);
});

test("several commands go as one act, with every shape's revision; one alone goes as it is", async () => {
  const store = new Store(deskData());
  const asked = server(answered(13));
  const edits = new Edits(store, "3");
  await edits.pushAll("moved two", [move("body"), move("patch")]);
  assert.equal(asked[0].body.command.do, "together");
  assert.deepEqual(asked[0].body.base, { body: 1, patch: 1 });
  await edits.pushAll("moved one", [move("body")]);
  assert.equal(asked[1].body.command.do, "form");
});

test("without a connection an edit is kept in the browser and sent again", async () => {
  const store = new Store(deskData());
  const asked = server({ status: 0 }, answered(13));
  const edits = new Edits(store, "3");
  const sent = edits.push(move("body"));
  await soon();
  assert.equal(edits.state, "unsaved: no connection");
  assert.equal(JSON.parse(localStorage.getItem("jaythread-edits-7-3")).waiting.length, 1);
  timers.shift().act();
  await sent;
  assert.equal(edits.state, "all saved");
  assert.equal(asked[0].body.id, asked[1].body.id, "the same edit: the server would know it again");
  assert.equal(JSON.parse(localStorage.getItem("jaythread-edits-7-3")).waiting.length, 0);
});

test("edits that a closed page left behind are sent when it opens again", async () => {
  const store = new Store(deskData());
  const asked = server(answered(13));
  localStorage.setItem("jaythread-edits-7-3", JSON.stringify({ waiting: [{ id: "x", path: "edits", command: move("body"), base: 12 }], refused: [] }));
  const edits = new Edits(store, "3");
  await soon();
  assert.deepEqual([asked[0].body.id, asked[0].body.base], ["x", null], "a base in an older form is dropped");
  assert.equal(edits.waiting.length, 0);
});

test("a conflict puts the edit and what was made on top of it aside, and the present state comes in", async () => {
  const store = new Store(deskData());
  const now = deskData({ revision: 20 });
  now.shapes[0] = shapeData("body", "kite body", square(300, 100, 80), { revision: 9 });
  const asked = server({ status: 409, body: { code: "conflict", message: "Marta has changed kite body." } }, { status: 200, body: now }, answered(21));
  const edits = new Edits(store, "3");
  const refused = [];
  edits.addEventListener("refused", (e) => refused.push(e.detail));
  const first = edits.push(move("body"));
  edits.push(move("body"));
  edits.push(move("patch"));
  await first;
  await soon();
  assert.deepEqual(refused, ["Marta has changed kite body."]);
  assert.deepEqual(edits.refused.map((e) => e.command.shape), ["body", "body"], "your version");
  assert.equal(asked.at(-1).body.command.shape, "patch", "what has nothing to do with it goes on");
  assert.equal(store.pending.outline(store.document.shapes.get("body"))[0], 300);
  await edits.takeMine();
  assert.equal(edits.refused.length, 0);
  assert.deepEqual(asked.slice(-2).map((a) => a.body.base), [null, null], "taken in spite of it");
});

test("what is refused for another reason is said and dropped", async () => {
  const store = new Store(deskData());
  server({ status: 422, body: { code: "keys.bad", message: "There is no key on frame 1001." } }, { status: 200, body: deskData() });
  const edits = new Edits(store, "3");
  await edits.push(move("body"));
  assert.deepEqual([edits.waiting.length, edits.refused.length, edits.state], [0, 0, "all saved"]);
});

test("while nobody is signed in all is kept, and sent when somebody is again", async () => {
  const store = new Store(deskData());
  const asked = server({ status: 401, body: { detail: "Unauthorized" } }, answered(13), answered(14));
  const edits = new Edits(store, "3");
  const sent = edits.push(move("body"));
  edits.push(move("patch"));
  await soon();
  assert.deepEqual([edits.state, edits.signedOut, edits.waiting.length], ["unsaved: signed out", "You are signed out.", 2]);
  assert.deepEqual(new Edits(new Store(deskData()), "4").waiting, [], "another person's page has nothing of it");
  edits.wake();
  await sent;
  assert.deepEqual([edits.state, edits.signedOut, asked.length, asked[0].body.id], ["all saved", "", 3, asked[1].body.id]);
});

test("an edit that the server breaks down on is put aside after three tries, and the others go on", async () => {
  const store = new Store(deskData());
  const broken = { status: 500, body: { message: "Something went wrong on our side." } };
  const asked = server(broken, broken, broken, { status: 200, body: deskData() }, answered(13));
  const edits = new Edits(store, "3");
  const sent = edits.push(move("body"));
  edits.push(move("patch"));
  for (let k = 0; k < 2; k++) {
    await soon();
    assert.equal(edits.state, "saving");
    timers.shift().act();
  }
  await sent;
  assert.deepEqual(edits.refused.map((e) => e.command.shape), ["body"], "your version");
  assert.deepEqual([asked.at(-1).body.command.shape, edits.state], ["patch", "all saved"]);
});

test("a server that is being started again is waited for", async () => {
  const store = new Store(deskData());
  const asked = server(...Array(6).fill({ status: 502, body: {} }), answered(13));
  const edits = new Edits(store, "3");
  const sent = edits.push(move("body"));
  for (let k = 0; k < 6; k++) {
    await soon();
    assert.equal(edits.state, "unsaved: no connection");
    timers.shift().act();
  }
  await sent;
  assert.deepEqual([edits.state, edits.refused.length, asked.length], ["all saved", 0, 7]);
});

test("undo stands behind the edits that wait", async () => {
  const store = new Store(deskData());
  const asked = server(answered(13));
  const edits = new Edits(store, "3");
  const first = edits.push(move("body"));
  edits.turn("undo");
  await first;
  assert.deepEqual(asked.map((a) => a.path), ["/api/shots/7/edits", "/api/shots/7/undo"]);
});

const quiet = { waiting: [], sending: false };
const told = (more = {}) => ({ status: 200, body: { moment: "m1", edits: { revision: 12 }, jobs: [], notes: [], here: [], ...more } });

test("news bring what others did, and say who and what", async () => {
  const store = new Store(deskData());
  const body = shapeData("body", "kite body", square(50, 50, 80), { revision: 3 });
  const asked = server(told({ here: ["marta"], edits: { revision: 14, shapes: [body], others: [{ who: "marta", summary: "moved 2 points" }] } }));
  const news = new News(store, quiet);
  const others = [];
  news.addEventListener("others", (e) => others.push(e.detail));
  await news.ask();
  assert.equal(asked[0].path, "/api/shots/7/news?revision=12");
  assert.ok(asked.length < 2 || asked[1].path.endsWith("&moment=m1"));
  assert.equal(store.document.revision, 14);
  assert.ok(others.includes("marta moved 2 points"));
  assert.deepEqual(news.here, ["marta"]);
});

test("while something is under the hand or on its way, news leave the outlines alone", async () => {
  const body = shapeData("body", "kite body", square(50, 50, 80), { revision: 3 });
  const others = { edits: { revision: 14, shapes: [body], others: [] }, notes: [{ id: 1, frame: FIRST, text: "edge flickers", done: false }] };
  for (const busy of ["dragging", "waiting", "playing"]) {
    const store = new Store(deskData());
    server(told(others));
    if (busy === "dragging") store.pending.hold("body");
    if (busy === "playing") store.view.set("playing", 1);
    const news = new News(store, busy === "waiting" ? { waiting: [{}], sending: true } : quiet);
    await news.ask();
    assert.equal(store.document.revision, 12, busy);
    assert.equal(news.notes.length, 1, "all else is taken in");
  }
});

test("news come more often while work is going on, and go on after a failure", async () => {
  const store = new Store(deskData());
  server(told());
  const news = new News(store, quiet);
  await news.ask();
  const calm = timers.at(-1).wait;
  store.jobs.take([{ id: 1, kind: "fit.measure", subject: "kite", state: "working", done: 0, total: 5, percent: 0, message: "", partial: null, settings: null }]);
  await news.ask();
  assert.ok(timers.at(-1).wait < calm / 3);
  server({ status: 0 });
  const before = timers.length;
  await news.ask();
  assert.ok(timers.length > before, "it is asked again");
});

test("work is asked for and stopped through one door", async () => {
  const store = new Store(deskData());
  const job = { id: 5, kind: "fringe.solve", subject: "l2", state: "waiting", done: 0, total: 0, percent: 0, message: "", partial: null, settings: null };
  const asked = server({ status: 200, body: job }, { status: 200, body: { ...job, state: "stopped" } });
  const work = new Work(store, { ask: async () => {} });
  await work.ask("fringe.solve", "l2");
  assert.deepEqual(asked[0].body, { kind: "fringe.solve", subject: "l2", settings: {} });
  assert.ok(store.jobs.isBusy("fringe.solve", "l2"));
  await work.cancel(store.jobs.of("fringe.solve", "l2"));
  assert.equal(asked[1].path, "/api/shots/7/jobs/5/cancel");
  assert.ok(!store.jobs.anyBusy);
});
