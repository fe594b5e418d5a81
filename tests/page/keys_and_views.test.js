// The table of acts and their keys, and the register of views.

import assert from "node:assert/strict";
import { test } from "node:test";
import { looking } from "../../jaythread/static/desk/acts/looking.js";
import { acts, listen, nameOf, pressed, whyNot } from "../../jaythread/static/desk/acts/table.js";
import { Store } from "../../jaythread/static/desk/model/store.js";
import { MODES, modeOf } from "../../jaythread/static/desk/view/modes/index.js";
import { deskData, FIRST, LAST } from "./build.js";

// A desk that writes down what it is asked, over a real store.
function desk(own = {}) {
  const asked = [];
  const store = new Store(deskData());
  const noting = (name) => new Proxy({}, { get: (_, what) => (...given) => asked.push([`${name}.${String(what)}`, ...given]) });
  const parts = { store, stage: noting("stage"), edits: noting("edits"), player: noting("player"), tracks: noting("tracks"), tracing: noting("tracing"), pointer: noting("pointer"), board: noting("board") };
  const it = new Proxy(parts, { get: (target, what) => target[what] ?? ((...given) => asked.push([String(what), ...given])) });
  return { it, store, asked, table: acts(it, own, MODES) };
}

const event = (key, more = {}) => ({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, prevented: false, preventDefault() { this.prevented = true; }, stopPropagation() {}, ...more });

test("no key stands for two acts, and every act has an id of its own and a sentence", () => {
  const { table } = desk();
  const keys = table.flatMap((act) => act.keys);
  assert.equal(new Set(keys).size, keys.length);
  assert.equal(new Set(table.map((act) => act.id)).size, table.length);
  for (const act of table) assert.ok(act.says.length > 5 && act.group, act.id);
});

test("a person's own key takes the place of ours, which the list still knows", () => {
  const { table } = desk({ play: ["Shift+Y"] });
  const play = table.find((act) => act.id === "play");
  assert.deepEqual([play.keys, play.ours], [["Shift+Y"], ["G"]]);
});

test("a key that is taken, or the browser's, is refused in words", () => {
  const { table } = desk();
  assert.match(whyNot(table, "play", "N"), /N is taken: Trace a new shape/);
  assert.equal(whyNot(table, "play", "G"), "", "its own key is free for it");
  for (const key of ["Ctrl+T", "F5", "Tab", "Alt+X", " "]) assert.match(whyNot(table, "play", key), /browser/);
  assert.equal(whyNot(table, "play", "Ctrl+Shift+Y"), "");
});

test("keys are named as people read them", () => {
  assert.equal(nameOf("Ctrl+Shift+ArrowLeft"), "Ctrl + Shift + left");
  assert.equal(nameOf(" "), "space bar");
  assert.equal(nameOf("Ctrl++"), "Ctrl + +");
});

test("what was pressed, whatever the keyboard and the letters' case", () => {
  assert.equal(pressed(event("g")), "G");
  assert.equal(pressed(event("G", { shiftKey: true })), "Shift+G");
  assert.equal(pressed(event("?", { shiftKey: true })), "?", "signs bring their own Shift");
  assert.equal(pressed(event("ArrowUp", { shiftKey: true, ctrlKey: true })), "Ctrl+Shift+ArrowUp");
  assert.equal(pressed(event("z", { metaKey: true })), "Ctrl+Z");
});

// What keyboards send for the glyphs of the table: American, German and French ones, with AltGr as Linux and as Windows have it.
const LAYOUTS = {
  american: [[">", { shiftKey: true }], ["<", { shiftKey: true }], ["[", {}], ["]", {}], ["\\", {}], [";", {}], ["?", { shiftKey: true }], ["(", { shiftKey: true }], [")", { shiftKey: true }], ["/", {}]],
  german: [
    [">", { shiftKey: true }], ["<", {}], ["[", { ctrlKey: true, altKey: true }], ["]", { getModifierState: (which) => which === "AltGraph" }],
    ["\\", { ctrlKey: true, altKey: true }], [";", { shiftKey: true }], ["?", { shiftKey: true }], ["(", { shiftKey: true }], [")", { shiftKey: true }],
    ["/", { shiftKey: true }],
  ],
  french: [
    [">", { shiftKey: true }], ["<", {}], ["[", { getModifierState: (which) => which === "AltGraph" }], ["]", { ctrlKey: true, altKey: true }],
    ["\\", { ctrlKey: true, altKey: true }], [";", {}], ["?", { shiftKey: true }], [".", { shiftKey: true }], ["(", {}], [")", {}], ["/", { shiftKey: true }],
  ],
};

for (const [layout, keys] of Object.entries(LAYOUTS)) {
  test(`glyphs mean the same on a keyboard that is ${layout}`, () => {
    const { table } = desk();
    for (const [key, how] of keys) {
      assert.equal(pressed(event(key, how)), key);
      assert.ok(table.some((act) => act.keys.includes(key)), `${key} does something`);
    }
    assert.equal(pressed(event("z", { ctrlKey: true, altKey: true })), "Ctrl+Alt+Z", "a letter keeps its modifiers");
  });
}

test("every key of the table can be typed on each of these keyboards", () => {
  const glyphs = desk().table.flatMap((act) => act.keys).filter((key) => /^[^A-Z0-9]$/.test(key) && ![" ", ","].includes(key));
  for (const keys of Object.values(LAYOUTS)) {
    const typed = new Set([...keys.map(([key]) => key), "."]);
    assert.deepEqual(glyphs.filter((key) => !typed.has(key)), []);
  }
  assert.deepEqual(desk().table.flatMap((act) => act.keys).filter((key) => /^Shift\+[^A-Z]$/.test(key)), [], "no Shift with a glyph");
});

test("a figure that is being typed is taken before a key does something else", () => {
  const { it, store, table } = desk();
  const heard = {};
  const was = globalThis.addEventListener;
  globalThis.addEventListener = (what, act) => (heard[what] = act);
  globalThis.document.querySelector = () => null;
  const order = [];
  try {
    listen(it, table);
    const field = {
      matches: (selector) => selector.startsWith("input:not") || selector === "input", isConnected: true, offsetParent: {},
      blur: () => order.push(`taken on ${store.view.frame}`), focus: () => order.push(`in hand on ${store.view.frame}`),
    };
    globalThis.document.activeElement = field;
    heard.keydown(event("ArrowRight"));
    assert.deepEqual(order.splice(0), [`taken on ${FIRST}`, `in hand on ${FIRST + 1}`]);
    heard.keydown(event("ArrowRight"));
    assert.equal(order.splice(0).length, 2);
    heard.keydown(event("p"));
    assert.deepEqual(order, [`taken on ${FIRST + 2}`], "a step leaves the field");
  } finally {
    globalThis.addEventListener = was;
  }
});

test("stepping, striding, jumping from key to key", () => {
  const { store, asked, table } = desk();
  const run = (id) => table.find((act) => act.id === id).run();
  run("one-frame-on");
  run("on-stride");
  assert.equal(store.view.frame, FIRST + 6);
  run("one-frame-back");
  run("next-key-what-chosen");
  assert.equal(store.view.frame, FIRST + 6);
  assert.deepEqual(asked.splice(0), [["board.pickOn", FIRST + 6]]);
  run("next-key-what-chosen");
  assert.deepEqual(asked, [], "there is none after the last");
  assert.equal(store.view.frame, FIRST + 6);
  run("previous-key-what-chosen");
  assert.equal(store.view.frame, FIRST);
  assert.deepEqual(asked.splice(0), [["board.pickOn", FIRST]], "the key is picked");
  run("last-frame");
  assert.deepEqual(asked.splice(0), [["toEnd", 1]]);
  store.view.go(LAST);
  run("mark-this-frame-compare");
  assert.equal(store.view.marked, LAST);
  run("mark-this-frame-compare");
  assert.equal(store.view.marked, null);
});

test("the keyboard runs what stands in the table, but leaves a name that is typed alone", () => {
  const { it, store, asked, table } = desk();
  const heard = {};
  const was = globalThis.addEventListener;
  globalThis.addEventListener = (what, act) => (heard[what] = act);
  globalThis.document.querySelector = () => null;
  try {
    listen(it, table);
    globalThis.document.activeElement = null;
    const press = (key, more) => {
      const e = event(key, more);
      heard.keydown(e);
      return e.prevented;
    };
    assert.ok(press("n"));
    assert.deepEqual(asked.pop(), ["startTracing"]);
    assert.ok(press("z", { ctrlKey: true }));
    assert.deepEqual(asked.pop(), ["edits.turn", "undo"]);
    assert.ok(!press("Enter"), "nothing is in hand");
    store.view.set("drawing", "points");
    assert.ok(press("Enter"));
    assert.deepEqual(asked.pop(), ["tracing.finish"]);
    assert.ok(press("2"));
    assert.deepEqual(asked.pop(), ["look", "matte"]);
    globalThis.document.activeElement = { matches: (selector) => !/^(button|\[role)/.test(selector), blur() {} };
    assert.ok(!press("n"), "a name is being typed");
    assert.deepEqual(asked, []);
    globalThis.document.querySelector = () => ({});
    globalThis.document.activeElement = null;
    assert.ok(!press("n"), "a leaf lies open over the desk");
  } finally {
    globalThis.addEventListener = was;
  }
});

test("each view has a name, a key and a sentence of its own", () => {
  for (const field of ["id", "act", "label", "key"]) assert.equal(new Set(MODES.map((mode) => mode[field])).size, MODES.length, field);
  for (const mode of MODES) assert.ok(mode.says && typeof mode.needsMatte === "boolean" && mode.paint, mode.id);
  assert.equal(modeOf("tint").label, "tint");
  assert.equal(modeOf("unheard of").id, "plate");
});

// A pen that writes down what it draws.
function pen() {
  const said = [];
  const it = new Proxy({ said, canvas: { width: 10, height: 10 } }, {
    get: (target, what) => target[what] ?? ((...given) => said.push([what, ...given])),
    set: (target, what, value) => said.push([what, value]) && true,
  });
  return it;
}

const stage = (store) => ({ store, size: [800, 600], rect: () => [10, 20, 300, 200], view: { scale: 1, x: 0, y: 0 }, wantsFull: false, wiping: false, plates: { best: () => "picture" } });

test("the matte is white on black, and black alone while it is on its way", () => {
  const store = new Store(deskData());
  const [there, coming] = [pen(), pen()];
  modeOf("matte").paint(stage(store), there, "alpha");
  modeOf("matte").paint(stage(store), coming, null);
  assert.deepEqual(there.said, [["fillStyle", "#000"], ["fillRect", 10, 20, 300, 200], ["drawImage", "alpha", 10, 20, 300, 200]]);
  assert.deepEqual(coming.said.map(([what]) => what), ["fillStyle", "fillRect"]);
});

test("the tint takes its colour and strength from the display, and leaves the pen as it was", () => {
  const store = new Store(deskData());
  store.view.set("display", { ...store.view.display, tint: "#112233", strength: 0.25 });
  const it = pen();
  modeOf("tint").paint(stage(store), it, "alpha");
  const set = Object.fromEntries(it.said.filter(([what]) => !["drawImage", "fillRect"].includes(what)));
  assert.deepEqual(set, { globalCompositeOperation: "source-over", globalAlpha: 1, fillStyle: "#112233" });
  assert.ok(it.said.some(([what, value]) => what === "globalAlpha" && value === 0.25));
  const none = pen();
  modeOf("tint").paint(stage(store), none, null);
  assert.deepEqual(none.said, []);
});

test("the cut-out shows the plate through the matte only", () => {
  const store = new Store(deskData());
  const it = pen();
  modeOf("cut-out").paint(stage(store), it, "alpha");
  const drawn = it.said.filter(([what]) => what === "drawImage" || what === "globalCompositeOperation").map(([, value]) => value);
  assert.deepEqual(drawn.slice(0, 3), ["alpha", "source-in", "picture"]);
  const ground = pen();
  store.view.set("ground", "#abcdef");
  modeOf("cut-out").paintGround(stage(store), ground);
  assert.deepEqual(ground.said, [["fillStyle", "#abcdef"], ["fillRect", 10, 20, 300, 200]]);
});

test("another view is looked at, and the one in use, asked for once more, shows its seam", () => {
  const { store } = desk();
  let bright = 0;
  const it = { ...looking, store, inUse: { turnBright: () => bright++ } };
  it.look("in use");
  assert.equal(store.view.mode, "in use");
  assert.equal(bright, 0);
  it.look("in use");
  assert.equal(bright, 1);
  it.look("plate");
  assert.equal(store.view.mode, "plate");
});
