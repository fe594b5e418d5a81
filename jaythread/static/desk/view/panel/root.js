// The whole desk as a component: what all parts ask for. The parts stand in this folder, one file each.

import { connectAll, syncAll } from "./component.js";

export function root() {
  return {
    ready: false, mayTrace: false, step: "trace", frame: 0, first: 0, last: 0, rate: "", drawing: false, state: "", here: [], said: "",
    shape: null, isGroup: false, carries: "", many: 0, some: 0,

    // desk: the desk; table: its acts with their keys.
    connect(desk, table) {
      const { store } = desk;
      this.desk = desk;
      this.table = table;
      this.ready = true;
      desk.tell = desk.fringes.tell = desk.tracks.tell = (text) => this.tell(text);
      for (const what of ["changed", "dragged", "view"]) store.addEventListener(what, () => this.sync());
      store.addEventListener("frame", () => this.sync(Boolean(store.view.playing)));
      for (const source of [desk.edits, desk.fringes, desk.taught, desk.tracks, desk.fits, desk.findings]) source.addEventListener("state", () => this.sync());
      for (const source of [desk.mattes, desk.thumbnails]) source.addEventListener("loaded", () => this.sync());
      desk.news.addEventListener("news", () => (this.here = [...desk.news.here]));
      desk.edits.addEventListener("refused", (e) => this.tell(e.detail));
      connectAll(desk);
      this.sync();
    },

    // While playing only the frame's number follows: the rest waits until it stands still.
    sync(onlyFrame = false) {
      const { document, selection, view } = this.desk.store;
      this.frame = view.frame;
      if (onlyFrame) return;
      const { shape } = selection;
      Object.assign(this, {
        mayTrace: document.mayTrace, step: view.step, first: document.shot.first, last: document.shot.last, rate: document.shot.rateText,
        drawing: view.drawing, state: this.desk.edits.state, many: selection.chosenShapes.length, some: selection.pointCount,
        isGroup: shape?.kind === "group",
        carries: shape?.kind === "group" ? document.membersOf(shape.id).map((s) => s.name).join(", ") || "nothing yet" : "",
      });
      this.shape = shape && {
        id: shape.id, name: shape.name, profile: shape.profile, blur: shape.blur, each: Boolean(shape.reaches), points: shape.curves.length,
        keys: shape.form.length, allKeys: shape.form.length + shape.placement.length, grouped: Boolean(shape.group), colour: shape.colour,
      };
      syncAll();
    },

    // What the chosen shapes are called together.
    get whose() {
      return this.many > 1 ? `${this.many} shapes` : this.shape ? this.shape.name : "";
    },

    setStep(step) {
      this.desk.setStep(step);
    },
    send(command) {
      if (this.mayTrace) this.desk.edits.push(command);
    },
    tell(text) {
      this.said = text;
      clearTimeout(this.hush);
      this.hush = setTimeout(() => (this.said = ""), 7000);
    },
    bye() {
      this.said = "";
    },
    openKeys() {
      this.desk.showKeys();
    },
    initial(name) {
      return name.slice(0, 1).toUpperCase();
    },
  };
}
