// Letting the picture draw: which frames are named as least sure, and what a correction asks for.

import assert from "node:assert/strict";
import { test } from "node:test";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { Drawing } from "../../jaythread/static/desk/net/drawing.js";
import { deskData, FIRST } from "./build.js";

const frames = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => FIRST + k);
const wait = (ms) => new Promise((done) => setTimeout(done, ms));

function drawing() {
  const store = new Store(deskData());
  const [shape] = store.document.shapes.values();
  const edits = new EventTarget();
  const asked = [];
  const it = new Drawing(store, /** @type {any} */ (edits), /** @type {any} */ ({ ask: async (...said) => asked.push(said) }));
  store.document.tracks.set("t", /** @type {any} */ ({ id: "t", name: "drawn", hows: ["bend"], frames, confidence: [1, 0.4, 0.2, 0.3, 0.9, 0.8, 0.1, 1] }));
  return { store, shape, edits, asked, it };
}

test("the least sure frames come first, apart from each other, and none that has a key", () => {
  const { it, shape } = drawing();
  assert.deepEqual(it.weakest(shape), [], "nothing carries it yet");
  shape.carrier = { track: "t", how: "bend", byGroup: false };
  shape.form = [{ ...shape.form[0], frame: FIRST }];
  assert.deepEqual(it.weakest(shape).map(([frame]) => frame), [FIRST + 6, FIRST + 2]);
  shape.form = [{ ...shape.form[0], frame: FIRST + 6 }];
  assert.deepEqual(it.weakest(shape).map(([frame]) => frame), [FIRST + 2]);
});

test("a correction of what is drawn has the stretches beside it drawn again, others do not", async () => {
  const { it, shape, edits, asked } = drawing();
  const saved = (command) => edits.dispatchEvent(new CustomEvent("saved", { detail: command }));
  saved({ do: "form", shape: shape.id, frame: FIRST + 3 });
  await wait(1400);
  assert.deepEqual(asked, [], "it rides on nothing");
  shape.carrier = { track: "t", how: "bend", byGroup: false };
  saved({ do: "rename", shape: shape.id, name: "x" });
  saved({ do: "together", commands: [{ do: "form", shape: shape.id, frame: FIRST + 3 }] });
  saved({ do: "form", shape: shape.id, frame: FIRST + 3 });
  await wait(1400);
  assert.equal(asked.length, 1);
  assert.deepEqual(asked[0].slice(1), [shape.id, { frame: FIRST + 3, beside: true, in_front: [] }]);
  assert.ok(it);
});
