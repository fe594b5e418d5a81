// What can be taken hold of on a tryout's picture, new lines, and pictures made ahead.

import assert from "node:assert/strict";
import { test } from "node:test";
import { makeView } from "../../jaythread/static/desk/geom/view.js";
import { Film } from "../../jaythread/static/tryouts/film.js";
import { cast, handleAt, handlesOf } from "../../jaythread/static/tryouts/handles.js";
import { graphicLine, newLine, OFFERS } from "../../jaythread/static/tryouts/lines.js";

const PAGE = { size: [1920, 1080], clips: ["MILL_040"] };
const VIEW = makeView(0.5, 10, 20);
const on = (x, y) => ({ sx: x * 0.5 + 10, sy: y * 0.5 + 20, x, y });

test("hinges, ends of a light and pulled corners come before the arm, and the arm before the whole", () => {
  const words = newLine("words", "a", PAGE);
  const hinged = { ...words, place: { ...words.place, swing: { hinge: [[100, 100], [100, 900]], angle: [], view: 40 } } };
  const lies = [960, 540, 0, 0, 1920, 0, 1920, 1080, 0, 1080];
  const held = (line, pulls, ...at) => handleAt(handlesOf(line, lies, pulls), [960, 540], VIEW, on(...at));
  assert.equal(held(hinged, false, 100, 900), "hinge 1");
  assert.equal(held(hinged, true, 1920, 1080), "corner 2");
  assert.equal(held(words, false, 1920, 1080), "move");
  assert.equal(held(words, false, 960 + 2 * 96 * Math.cos(-0.6), 540 + 2 * 96 * Math.sin(-0.6)), "turn");
  assert.equal(held(newLine("light", "b", PAGE), false, 1920 * 0.8, 540), "end other");
});

test("a shadow is taken hold of where it falls from the pivot, and falls to where it is dragged", () => {
  const words = newLine("words", "a", PAGE);
  const dark = { ...words, done: { ...words.done, shadow: { turn: 90, away: 80, blur: 12, strength: 0.5, colour: "#000000" } } };
  const lies = [960, 540, 0, 0, 1920, 0, 1920, 1080, 0, 1080];
  assert.equal(handleAt(handlesOf(dark, lies, false), [960, 540], VIEW, on(960, 620)), "shadow");
  assert.deepEqual(cast(dark.done.shadow, [960, 540], [920, 570]), { ...dark.done.shadow, turn: 143.1, away: 50 });
});

test("every offer makes a line that says all the document asks for", () => {
  for (const { value } of OFFERS.filter((offer) => offer.value !== "graphic")) {
    const line = newLine(value, "x", PAGE);
    assert.deepEqual(Object.keys(line).sort(), ["done", "fade", "hidden", "id", "live", "name", "place", "shows", "through"]);
  }
  assert.equal(newLine("nothing", "x", PAGE), null);
  assert.equal(graphicLine({ id: "7", name: "sign.svg", size: [40, 20] }, "x", PAGE).shows.fit, "fit");
  assert.equal(graphicLine({ id: "7", name: "sign.exr", size: [40, 20] }, "x", PAGE).shows.alpha, "premultiplied");
});

test("the last thing asked for is shown, and what was asked in between is left out", async () => {
  const asked = [];
  const held = [];
  globalThis.fetch = (path, { body }) => new Promise((done) => {
    asked.push(JSON.parse(body).frame);
    held.push(() => done({ ok: true, blob: async () => body }));
  });
  globalThis.document = { cookie: "" };
  globalThis.createImageBitmap = async (body) => ({ frame: JSON.parse(body).frame });
  const film = new Film("1", "x", [1, 9], () => 960);
  for (const frame of [1, 2, 3, 4]) film.show(frame);
  const settle = () => new Promise((done) => setTimeout(done, 5));
  held.shift()();
  await settle();
  held.shift()();
  await settle();
  assert.deepEqual(asked, [1, 4]);
  assert.equal(film.shown.frame, 4);
  assert.ok(film.has(1) && film.has(4));
  film.forget();
  assert.equal(film.made, 0);
});

test("the first picture is the one the page asked for early, and another follows only where the screen wants a larger one", async () => {
  const asked = [];
  globalThis.document = { cookie: "" };
  globalThis.createImageBitmap = async (body) => body;
  globalThis.fetch = async (path, options) => {
    asked.push(options?.body ? JSON.parse(options.body).width : path);
    return { ok: true, blob: async () => ({ width: options?.body ? JSON.parse(options.body).width : 960 }) };
  };
  const small = new Film("1", "x", [1, 9], () => 700);
  await small.begin(4, "/early");
  assert.deepEqual([asked, small.shown.width, small.has(4)], [["/early"], 960, true]);
  const large = new Film("1", "x", [1, 9], () => 1400);
  const begun = large.begin(4, "/early");
  large.show(6); // meanwhile somebody goes on to another frame
  await begun;
  await new Promise((done) => setTimeout(done, 5));
  assert.deepEqual([asked.slice(1), large.has(4), large.has(6)], [["/early", 1400], false, true]);
  const edited = new Film("1", "x", [1, 9], () => 700);
  const coming = edited.begin(4, "/early");
  edited.forget(); // somebody was quicker than the picture
  await coming;
  assert.equal(edited.has(4), false);
  await new Promise((done) => setTimeout(done, 5));
  assert.ok(edited.has(4), "it was asked for once more");
  globalThis.fetch = async (path, options) => (options?.body ? { ok: false, json: async () => ({ message: "Not there." }) } : Promise.reject(new Error("no line")));
  const lost = new Film("1", "x", [1, 9], () => 700);
  await lost.begin(4, "/early");
  await new Promise((done) => setTimeout(done, 5));
  assert.equal(lost.trouble, "Not there.");
});

// A server that makes pictures ahead, one at each look at the work, beginning where it was asked to.
function server(long, { refuses = 0, waits = false } = {}) {
  const said = { fetched: [], cancelled: 0, asked: [], job: null };
  const reply = (data) => ({ ok: true, json: async () => data, blob: async () => data });
  globalThis.document = { cookie: "" };
  globalThis.createImageBitmap = async (picture) => picture;
  globalThis.fetch = async (path, { method, body }) => {
    if (path.endsWith("/cancel")) {
      said.cancelled++;
      said.job = { ...said.job, state: "cancelled" };
    } else if (method === "POST") {
      const { kind, subject, settings } = JSON.parse(body);
      if (refuses-- > 0) {
        said.job = { id: 7, kind, subject, settings: { begin: 3, width: 900 }, state: "working", done: 0 };
        return { ok: false, status: 422, json: async () => ({ message: "They are being made already." }) };
      }
      said.asked.push(settings);
      said.job = { id: 8, kind, subject, settings, state: waits ? "waiting" : "working", done: 0 };
    } else if (path.includes("/frames/")) {
      const [, frame, width] = path.match(/frames\/(\d+)\?width=(\d+)/).map(Number);
      said.fetched.push([frame, width]);
      return reply({ frame, width });
    } else if (!waits && said.job.state === "working") {
      const done = Math.min(2 * long, said.job.done + 2);
      said.job = { ...said.job, done, state: done === 2 * long ? "done" : "working" };
    }
    return reply(path.endsWith("/jobs") && method === "GET" ? { jobs: [said.job] } : said.job);
  };
  return said;
}

test("what is made ahead is fetched as it is made: small pictures of all frames from the one in hand on, then those of the screen's size", async () => {
  const said = server(4);
  const film = new Film("1", "x", [1, 4], () => 900);
  const early = [];
  film.addEventListener("ahead", () => early.push(film.busy && said.fetched.length > film.job.done));
  await film.ahead(3, () => true);
  assert.deepEqual(said.asked, [{ begin: 3, width: 900 }]);
  assert.deepEqual(said.fetched, [480, 900].flatMap((width) => [3, 4, 1, 2].map((frame) => [frame, width])));
  assert.ok(!early.includes(true), "nothing is asked for before it is there");
  assert.equal(film.made, 1);
  film.show(2);
  assert.equal(film.shown.width, 900);
  assert.equal(said.cancelled, 0);
});

test("whoever stops playing has the work stopped that was asked for here", async () => {
  const said = server(40);
  const film = new Film("1", "x", [1, 40], () => 900);
  await film.ahead(1, () => said.fetched.length < 3);
  assert.deepEqual([said.asked.length, said.cancelled], [1, 1]);
});

test("whoever finds the work under way joins it, and does not stop it for the other one", async () => {
  const said = server(40, { refuses: 1 });
  let playing = true;
  const film = new Film("1", "x", [1, 40], () => 900);
  film.addEventListener("ahead", () => (playing = said.fetched.length < 3));
  await film.ahead(9, () => playing);
  assert.deepEqual([said.asked, said.cancelled], [[], 0]);
  assert.deepEqual(said.fetched.slice(0, 3), [[3, 480], [4, 480], [5, 480]], "in the order in which they are made");
  assert.ok(!film.has(3), "a small picture is for playing only");
});

test("work that nobody takes up is not waited for", { timeout: 10000 }, async () => {
  const said = server(3, { waits: true });
  let playing = true;
  const film = new Film("1", "x", [1, 3], () => 480);
  film.addEventListener("ahead", () => (playing = film.made < 1));
  await film.ahead(1, () => playing);
  assert.deepEqual(said.fetched.map(([frame]) => frame).sort(), [1, 2, 3]);
});
