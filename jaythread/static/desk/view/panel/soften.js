// The step Soften: the soft edge of what is chosen; how deep a fringe is solved.

import { timeLeft } from "../../model/jobs.js";
import { get } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { figure, part } from "./component.js";

export const softenStep = part(() => ({
  soft: { inner: 0, outer: 0, shift: 0, opacity: 1, lens: 0 }, lensKind: "bell", isFringe: false, isTaught: false, ranged: false, brush: 24, fringeSays: "", fringeBusy: false, fringeWhole: false, fringeDone: 0,

  connected(desk) {
    desk.paintFringe = () => this.paintFringe();
  },
  sync() {
    const { fringes, store, ways } = this.desk;
    const { pending, selection } = store;
    this.isFringe = Boolean(fringes.chosen);
    this.isTaught = Boolean(this.desk.taught.chosen);
    const { shot, working } = store.document;
    this.ranged = working[0] !== shot.first || working[1] !== shot.last;
    this.brush = ways.brush.radius;
    if (selection.shape) {
      this.soft = pending.soft(selection.shape);
      this.lensKind = selection.shape.lensKind;
    }
    this.syncFringe();
  },
  syncFringe() {
    const { fringes, mattes, store } = this.desk;
    const { job, state } = fringes;
    if (!this.isFringe) return;
    this.fringeBusy = Boolean(job && ["waiting", "working"].includes(job.state));
    this.fringeWhole = Boolean(state && job?.state === "done" && state.frames.length >= job.total);
    this.fringeDone = job?.percent || 0;
    const steadied = state?.frames.includes(store.view.frame);
    const here = steadied ? "steadied" : { "by itself": "solved from this frame alone", "not solved": "not solved yet" }[mattes.fringe];
    this.fringeSays = [
      here ? `This frame: ${here}.` : "",
      this.fringeBusy ? `Solving: ${job.done} of ${job.total} frames${timeLeft(job)}.` : state ? `${state.frames.length === 1 ? "1 frame is" : `${state.frames.length} frames are`} solved and steadied.` : "",
      job?.state === "failed" ? job.message : "",
    ].filter(Boolean).join(" ");
  },

  slide(name, event) {
    this.desk.soften({ [name]: Number(event.target.value) }, false);
  },
  set(name, event) {
    const value = figure(event);
    if (value === null) return this.sync();
    this.desk.soften({ [name]: value }, true);
  },
  oneReach() {
    const shapes = this.desk.store.selection.editable.filter((s) => s.reaches);
    this.desk.edits.pushAll("gave shapes one reach", shapes.map((s) => edit.oneReach({ shape: s.id })));
  },
  setLensKind(event) {
    this.desk.appearance({ lens_kind: event.target.value });
  },
  setBlur(event) {
    this.desk.appearance({ blur: event.target.checked });
  },
  // What the plate says of the edge: shown first, for the chosen points or all of them.
  readSoftness() {
    const { document, selection, view } = this.desk.store;
    const { shape } = selection;
    if (!selection.editable.includes(shape)) return;
    return this.desk.attempt(async () => {
      this.tell("Reading the plate along the outline ...");
      const read = await get(`/shots/${document.shot.id}/shapes/${shape.id}/softness/${view.frame}`);
      const wanted = selection.pointsOf(shape.id);
      const points = Object.fromEntries(Object.entries(read.points).filter(([i]) => !wanted.size || wanted.has(Number(i))));
      const missing = read.unknown.filter((i) => !wanted.size || wanted.has(i));
      const told = `The plate's edge is known on ${read.known} % of the outline`;
      const rest = missing.length ? `; it says nothing at ${missing.length} of its points, which stay as they are` : "";
      if (!Object.keys(points).length) return this.tell(`${told}${rest}. Too little contrast, or another edge beside it.`);
      this.bye();
      if (read.lens && !wanted.size) return this.desk.preview.begin(edit.softenAsLens({ shape: shape.id, frame: view.frame, ...read.lens, ...view.scoping }), `${told}. One lens explains it better than reaches do: a bell of ${read.lens.sigma} px.`);
      await this.desk.preview.begin(edit.reach({ shape: shape.id, frame: view.frame, points, ...view.scoping }), `${told}${rest}. Offered as reach, point by point.`);
    });
  },

  paintFringe() {
    const { selection, view } = this.desk.store;
    if (view.drawing) return this.desk.stopTracing();
    if (!selection.editable.length || this.isFringe || this.isTaught) return this.tell("Choose the shape whose hair or fuzz is to be solved.");
    view.set("drawing", "brush");
  },
  fringeOfReach() {
    this.desk.fringes.make(null, 0);
  },
  setBrush(event) {
    this.desk.ways.brush.radius = Math.min(1000, Math.max(1, Number(event.target.value) || 24));
    this.sync();
  },
  teachInstead() {
    this.desk.edits.push(edit.entry({ entry: this.desk.fringes.chosen.id, mode: "teach" }));
  },
  solveAll() {
    return this.desk.attempt(() => this.desk.fringes.findAll());
  },
  stopSolving() {
    return this.desk.attempt(() => this.desk.fringes.cancel());
  },
}));
