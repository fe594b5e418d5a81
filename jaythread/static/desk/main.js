// The composition root: the only place that knows all parts of the desk.

import { Desk } from "./desk.js";
import { acts, listen } from "./model/acts.js";
import { Player } from "./model/player.js";
import { Store } from "./model/store.js";
import { call, get } from "./net/api.js";
import { Edits } from "./net/edits.js";
import { Fits } from "./net/fits.js";
import { Fringes } from "./net/fringes.js";
import { Mattes } from "./net/mattes.js";
import { Notes } from "./net/notes.js";
import { Small } from "./net/small.js";
import { Tracks } from "./net/tracks.js";
import { Trial } from "./net/trial.js";
import { Watch } from "./net/watch.js";
import { Plates } from "./net/pictures.js";
import { Pointer } from "./tools/pointer.js";
import { Board } from "./view/board.js";
import { panel } from "./view/panel.js";
import { Stage } from "./view/stage.js";

document.addEventListener("alpine:init", () => Alpine.data("desk", panel));

// A long shot opens with its first frame; the outlines of the others follow.
async function complete(store, path) {
  if (!store.incomplete || complete.busy) return;
  complete.busy = true;
  try {
    store.fill(await (await call("GET", path.replace(/desk$/, "outlines"))).arrayBuffer());
  } catch {
    /* without a connection they come with the next change */
  }
  complete.busy = false;
}

async function open() {
  const root = document.getElementById("desk");
  const path = `/shots/${root.dataset.shot}/desk`;
  const store = new Store(await get(path));
  const edits = new Edits(store);
  const plates = new Plates(store);
  const mattes = new Mattes(store);
  plates.urgent = () => mattes.asking;
  edits.settle = (picture, revision) => mattes.settle(picture, revision);
  const stage = new Stage(document.getElementById("stage"), store, plates, mattes);
  const player = new Player(store);
  player.isThere = (frame) => plates.quick.has(frame) || plates.missing.has(frame);
  const board = new Board(document.getElementById("board"), store, plates, edits, player);
  const desk = new Desk(store, stage, edits, mattes, board, player);
  desk.pointer = new Pointer(stage, () => desk.tool);
  desk.small = new Small(store, edits);
  desk.fringes = stage.fringes = new Fringes(store, edits, mattes);
  desk.fringes.addEventListener("colours", () => stage.draw("matte"));
  desk.tracks = new Tracks(store, edits);
  desk.fits = stage.fits = board.fits = new Fits(store, edits);
  desk.tracks.addEventListener("state", () => stage.draw("outline"));
  desk.fits.addEventListener("state", () => {
    board.draw();
    stage.draw("outline");
  });
  desk.notes = stage.notes = new Notes(store);
  desk.notes.addEventListener("state", () => stage.draw("outline"));
  desk.trial = stage.trial = new Trial(store, edits);
  stage.pointer = desk.pointer;
  desk.pointer.pressed = () => (board.keys = []); // the hand is on the picture now, not on a key
  new Watch(store, edits).addEventListener("others", (e) => desk.tell(`Meanwhile: ${e.detail}.`));
  desk.refresh = async () => store.take(await get(path));
  desk.tracks.refresh = desk.refresh;
  const table = acts(desk, store.ownKeys);
  listen(desk, table);
  Alpine.$data(root).connect(desk, table);
  const wanted = Number(new URLSearchParams(location.search).get("frame"));
  if (wanted) store.go(Math.min(store.shot.last, Math.max(store.shot.first, wanted)));
  stage.draw("outline");
  document.body.dataset.open = "1";
  complete(store, path);
  store.addEventListener("changed", () => complete(store, path));
}

document.addEventListener("alpine:initialized", () => {
  open().catch((error) => Alpine.$data(document.getElementById("desk")).tell(`The desk could not be opened: ${error.message}`));
});
