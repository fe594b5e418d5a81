// Undo, redo, and the list of what was done.

import { get } from "../../net/api.js";
import { dialog, part } from "./component.js";

export const history = part(() => ({
  undo: null, redo: null, rows: [],

  sync() {
    const { document } = this.desk.store;
    this.undo = document.undo;
    this.redo = document.redo;
  },
  turn(way) {
    this.desk.edits.turn(way);
  },
  async openList() {
    this.rows = (await get(`/shots/${this.desk.store.document.shot.id}/edits`)).edits;
    dialog("done").showModal();
  },
  closeList() {
    dialog("done").close();
  },
}));
