// The left end of the thread board: the frame, stepping and playing, and the names of the threads.

import { COLOURS } from "../../glyphs/outlines.js";
import { part } from "./component.js";

const CHANNELS = { form: "form", placement: "placement", settings: "soft edge", reach: "reach per point" };

export const timeBar = part(() => ({
  playing: false,

  connected(desk) {
    desk.player.addEventListener("state", () => (this.playing = Boolean(desk.player.way)));
  },
  go(by) {
    this.desk.store.view.go(this.frame + by);
  },
  typed(event) {
    this.desk.store.view.go(Number.parseInt(event.target.value, 10));
    event.target.value = this.desk.store.view.frame;
  },
  play() {
    this.desk.player.toggle(1);
  },
}));

export const threads = part(() => ({
  threads: [], hasStrip: false,

  sync() {
    const { board, store } = this.desk;
    const { document, selection } = store;
    const cuts = (id) => selection.stack().find((l) => l.shape === id)?.mode === "cut";
    this.threads = board.lines().map(({ shape: it, channel }) => ({
      id: it.id + (channel || ""), shape: it.id, channel, colour: COLOURS[it.colour], chosen: !channel && selection.has(it.id),
      name: CHANNELS[channel] || it.name + (it.kind === "group" ? " (group)" : cuts(it.id) ? " (cuts)" : ""),
      folds: !channel, indent: { paddingLeft: `${14 * document.groupsOf(it).length + (channel ? 26 : 0)}px` },
      opened: it.kind === "group" ? !board.folded.has(it.id) : board.opened.has(it.id), what: it.kind === "group" ? "shapes" : "channels",
    }));
    this.hasStrip = board.hasStrip;
  },
  open(line) {
    this.desk.board.open(line.shape);
  },
  choose(line, event) {
    this.desk.store.selection.choose(line.shape, [], event.shiftKey);
  },
}));
