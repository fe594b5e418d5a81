// Letting the picture draw: which frames are named, and what a correction asks for.

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
  store.document.tracks.set("t", /** @type {any} */ ({ id: "t", name: "drawn", hows: ["bend"], frames, confidence: frames.map(() => 0.4), next: [FIRST + 2, FIRST + 6] }));
  return { store, shape, edits, asked, it };
}

test("frames where a key helps most are named, but for those that have one by now", () => {
  const { it, shape } = drawing();
  assert.deepEqual(it.next(shape), [], "nothing carries it yet");
  shape.carrier = { track: "t", how: "bend", byGroup: false };
  shape.form = [{ ...shape.form[0], frame: FIRST + 2 }];
  assert.deepEqual(it.next(shape), [FIRST + 6]);
});

test("a correction of what is drawn has the stretches beside it drawn again, others do not", async () => {
  const { it, shape, edits, asked } = drawing();
  const saved = (command, id = "e") => edits.dispatchEvent(new CustomEvent("saved", { detail: { id, command } }));
  saved({ do: "form", shape: shape.id, frame: FIRST + 3 });
  await wait(1400);
  assert.deepEqual(asked, [], "it rides on nothing");
  shape.carrier = { track: "t", how: "bend", byGroup: false };
  saved({ do: "rename", shape: shape.id, name: "x" });
  saved({ do: "together", commands: [{ do: "form", shape: shape.id, frame: FIRST + 3 }] });
  saved({ do: "form", shape: shape.id, frame: FIRST + 3 }, "last");
  await wait(1400);
  assert.equal(asked.length, 1);
  assert.deepEqual(asked[0].slice(1), [shape.id, { frame: FIRST + 3, beside: true, follows: "last", in_front: [] }], "it is taken back with the correction");
  assert.ok(it);
});
