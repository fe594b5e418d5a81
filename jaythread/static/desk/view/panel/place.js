// The step Place: the placement of the chosen shape by figures, and the group that it moves with.

import { figure, part } from "./component.js";

export const placeStep = part(() => ({
  place: { x: "0", y: "0", turn: "0", size: "100" }, movesWith: "", groups: [],

  sync() {
    const { document, pending, selection } = this.desk.store;
    const { shape } = selection;
    this.groups = document.groups.map((s) => ({ id: s.id, name: s.name }));
    this.movesWith = shape?.group || "";
    if (!shape) return;
    const place = pending.placement(shape);
    this.place = { x: place.x.toFixed(2), y: place.y.toFixed(2), turn: place.turn.toFixed(2), size: (place.size * 100).toFixed(2) };
  },
  placeSet(name, event) {
    const value = figure(event);
    if (value !== null) this.desk.placeAt({ [name]: name === "size" ? value / 100 : value });
    this.sync();
  },
  setMovesWith(event) {
    if (event.target.value === "new") this.desk.group();
    else this.desk.ride(event.target.value);
  },
  chooseGroup() {
    this.desk.store.selection.choose(this.movesWith);
  },
}));
