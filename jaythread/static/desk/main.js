// The composition root: the only place that knows all parts of the desk.

import { acts, listen } from "./acts/table.js";
import { Desk } from "./desk.js";
import { makeView } from "./geom/view.js";
import { comeBack, leave } from "./model/kept.js";
import { Player } from "./model/player.js";
import { Store } from "./model/store.js";
import { call, early } from "./net/api.js";
import { ClipPictures } from "./net/clips.js";
import { Drawing } from "./net/drawing.js";
import { Edits } from "./net/edits.js";
import { Findings } from "./net/findings.js";
import { Fits } from "./net/fits.js";
import { Fringes } from "./net/fringes.js";
import { InStep } from "./net/in_step.js";
import { InUse } from "./net/in_use.js";
import { Mattes } from "./net/mattes.js";
import { News } from "./net/news.js";
import { Notes } from "./net/notes.js";
import { Plates } from "./net/pictures.js";
import { Preview } from "./net/preview.js";
import { Taught } from "./net/taught.js";
import { Thinning } from "./net/thinning.js";
import { Thumbnails } from "./net/thumbnails.js";
import { Tracks } from "./net/tracks.js";
import { Work } from "./net/work.js";
import { Pointer } from "./tools/pointer.js";
import { Board } from "./view/board.js";
import { MODES } from "./view/modes/index.js";
import * as panel from "./view/panel/index.js";
import { Room } from "./view/room.js";
import { Stage } from "./view/stage.js";

document.addEventListener("alpine:init", () => {
  for (const [name, component] of Object.entries(panel)) Alpine.data(name, component);
});

let completing = false;

// A long shot opens with its first frame; the outlines of the others follow.
async function complete(store) {
  if (!store.document.incomplete || completing) return;
  completing = true;
  try {
    store.document.fill(await (await call("GET", `/shots/${store.document.shot.id}/outlines`)).arrayBuffer());
  } catch {
    /* without a connection they come with the next change */
  }
  completing = false;
}

function element(id) {
  return /** @type {HTMLElement} */ (document.getElementById(id));
}

// An address may say which matte, step and frame to open with, as the check sheet's do.
function arrive(desk, asked) {
  const { store } = desk, frame = Number(asked.get("frame"));
  if (store.document.mattes.some((m) => m.id === asked.get("matte"))) store.selection.turnTo(asked.get("matte"));
  if (asked.get("step") === "check") desk.setStep("check");
  if (frame) store.view.go(frame);
}

// The parts that talk to the server.
function network(store, who) {
  const edits = new Edits(store, who);
  const mattes = new Mattes(store);
  const plates = new Plates(store);
  plates.urgent = () => mattes.asking;
  edits.settle = (picture, revision) => mattes.settle(picture, revision);
  const news = new News(store, edits);
  const work = new Work(store, news);
  return {
    edits, mattes, plates, news, work, thumbnails: new Thumbnails(store, edits), fringes: new Fringes(store, edits, mattes, work), taught: new Taught(store, edits, mattes, work, news),
    tracks: new Tracks(store, edits, work), drawing: new Drawing(store, edits, work), thinning: new Thinning(store, work), fits: new Fits(store, edits, work), findings: new Findings(store, work), notes: new Notes(store, news), preview: new Preview(store, edits),
    inUse: new InUse(store), clips: new ClipPictures(store, (plate, frame) => plates.url("quick", frame, plate)),
  };
}

async function open() {
  const root = element("desk");
  const data = await early(`/shots/${root.dataset.shot}/desk`);
  const store = new Store(data);
  const net = network(store, root.dataset.who);
  const { edits, mattes, plates, fringes, tracks, drawing, fits, findings, notes, preview, clips, inUse } = net;
  const stage = new Stage(element("stage"), store, plates, mattes);
  const player = new Player(store);
  player.isThere = (frame) => plates.quick.has(frame) || plates.missing.has(frame);
  const board = new Board(element("board"), store, plates, edits, player);
  const desk = Object.assign(new Desk(store, stage, edits, mattes, board, player), net);
  desk.ownKeys = data.keys;
  store.view.set("keyKind", data.keyKind, true);
  desk.pointer = stage.pointer = new Pointer(stage, () => desk.tool);
  desk.pointer.erased = (p) => /** @type {any} */ (desk).erase(p);
  desk.pointer.pressed = () => (board.keys = []); // the hand is on the picture now, not on a key
  Object.assign(stage, { drawing, fringes, fits, findings, notes, preview, clips, inUse });
  inUse.wide = () => (stage.wantsFull ? null : Math.max(16, Math.min(data.shot.size[0], Math.ceil(stage.rect()[2] * (devicePixelRatio || 1)))));
  mattes.elsewhere = (command) => inUse.draft(command);
  Object.assign(board, { fits, drawing });
  board.setRange = (frames) => /** @type {any} */ (desk).setRange(frames);
  desk.room = new Room(root, board);
  for (const [part, what, layer] of /** @type {[EventTarget, string, string][]} */ ([[fringes, "colours", "matte"], [clips, "loaded", "plate"], [inUse, "loaded", "matte"], [tracks, "state", "outline"], [drawing, "state", "outline"], [fits, "state", "outline"], [findings, "state", "outline"], [notes, "state", "outline"]])) {
    part.addEventListener(what, () => stage.draw(layer));
  }
  for (const one of [fits, drawing]) one.addEventListener("state", () => board.draw());
  net.news.addEventListener("others", (e) => desk.tell(`Meanwhile: ${/** @type {CustomEvent} */ (e).detail}.`));
  store.document.addEventListener("renumbered", () => location.reload());
  const table = acts(desk, desk.ownKeys, MODES);
  listen(desk, table);
  Alpine.$data(root).connect(desk, table);
  const second = new URLSearchParams(location.search).has("second"); // a window that shows the picture alone, on another screen
  root.classList.toggle("second", second);
  if (!second) comeBack(root.dataset.who, store, ({ scale, x, y }) => stage.setView(makeView(scale, x, y)));
  if (!second) addEventListener("pagehide", () => leave(root.dataset.who, store, { ...stage.view, fitted: stage.fitted }));
  new InStep(store, net.news, root.dataset.who, second);
  arrive(desk, new URLSearchParams(location.search));
  stage.draw("outline");
  document.body.dataset.open = "1";
  complete(store);
  store.addEventListener("changed", () => complete(store));
}

document.addEventListener("alpine:initialized", () => {
  open().catch((error) => Alpine.$data(element("desk")).tell(`The desk could not be opened: ${error.message}`));
});
