// The step Place: the placement of the chosen shape by figures, and the group that it moves with.

import { figure, part } from "./component.js";

export const placeStep = part(() => ({
  place: { x: "0", y: "0", turn: "0", size: "100", tall: "100", skew: "0" }, movesWith: "", groups: [],

  sync() {
    const { document, pending, selection } = this.desk.store;
    const { shape } = selection;
    const carried = shape ? document.carriedBy(shape.id) : [];
    this.groups = document.groups.filter((g) => g !== shape && !carried.includes(g)).map((s) => ({ id: s.id, name: s.name }));
    this.movesWith = shape?.group || "";
    if (!shape) return;
    const place = pending.placement(shape);
    this.place = { x: place.x.toFixed(2), y: place.y.toFixed(2), turn: place.turn.toFixed(2), size: (place.size * 100).toFixed(2), tall: (place.size * place.taller * 100).toFixed(2), skew: place.skew.toFixed(2) };
  },
  placeSet(name, event) {
    const value = figure(event);
    if (value !== null) this.desk.placeAt((was) => this.said(name, value, was)).then(() => this.sync());
    else this.sync();
  },
  // The width and the height by themselves: the one stays when the other is set.
  said(name, value, { size, taller }) {
    if (name === "size") return { size: value / 100 };
    if (name === "wide") return { size: value / 100, taller: (size * taller) / (value / 100) };
    if (name === "tall") return { taller: value / 100 / size };
    return { [name]: value };
  },
  setMovesWith(event) {
    if (event.target.value === "new") this.desk.group();
    else this.desk.ride(event.target.value);
  },
  chooseGroup() {
    this.desk.store.selection.choose(this.movesWith);
  },
}));
