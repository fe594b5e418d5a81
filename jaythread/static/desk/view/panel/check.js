// The step Check: which frames are weak, and what to do about it.

import { timeLeft } from "../../model/jobs.js";
import { edit } from "../../net/commands.js";
import { part } from "./component.js";

export const checkStep = part(() => ({
  fitMeasured: false, ranged: false, fitStale: true, fitBusy: false, fitDone: 0, fitSays: "", weakest: [], keyNext: "", lookedHere: false, fitHere: "", pullRadius: 8,

  sync() {
    const { store, fits } = this.desk;
    const { state } = fits;
    const [first, last] = store.document.working;
    const total = last - first + 1;
    const { shot } = store.document;
    this.ranged = first !== shot.first || last !== shot.last;
    this.fitMeasured = Boolean(state?.measured);
    this.fitStale = !state || state.measured < total;
    this.fitBusy = fits.busy;
    this.fitDone = fits.job?.percent || 0;
    this.fitSays = this.says(fits.job, state, total);
    this.weakest = (state?.weakest || []).map((frame) => ({ frame, name: store.document.shapes.get(state.frames[frame][1])?.name || "", says: `${state.frames[frame][0].toFixed(1)} px` }));
    const next = state?.key;
    this.keyNext = next ? `A key of ${next.name} on ${next.frame} would help most: it is off by ${next.off.toFixed(1)} px there.` : "";
    this.lookedHere = Boolean(fits.of(store.view.frame)?.[2]);
    const known = store.selection.shape && fits.here?.frame === store.view.frame ? fits.here.known[store.selection.shape.id] : undefined;
    this.fitHere = known === undefined ? "" : `The picture shows the edge of ${store.selection.shape.name} on ${known} % of its outline.`;
  },

  says(job, state, total) {
    if (this.fitBusy) return `Measuring: ${job.done} of ${job.total} frames${timeLeft(job)}.`;
    if (job?.state === "failed") return job.message;
    if (!state?.measured) return "";
    const [first, last] = this.desk.store.document.working;
    const values = Object.entries(state.frames).filter(([f]) => Number(f) >= first && Number(f) <= last).map(([, told]) => told);
    const unknown = values.filter(([off]) => off === null).length - (total - state.measured);
    const told = state.weakest.length ? `Off by ${state.weak.toFixed(0)} px or more:` : "Every frame is within a pixel, or was looked at.";
    const stale = total - state.measured;
    return [stale ? `${stale === 1 ? "1 frame has" : `${stale} frames have`} changed since.` : "", unknown > 0 ? `On ${unknown === 1 ? "1 frame" : `${unknown} frames`} the picture shows no edge to measure.` : "", told].filter(Boolean).join(" ");
  },

  measureFit() {
    return this.desk.attempt(() => this.desk.fits.measure());
  },
  stopMeasuring() {
    return this.desk.attempt(() => this.desk.fits.cancel());
  },
  goWeak(w) {
    this.desk.goWeak(w.frame);
  },
  nextWeak() {
    this.desk.nextWeak();
  },
  goKey() {
    const { key } = this.desk.fits.state;
    this.desk.store.selection.choose(key.shape);
    this.desk.store.view.go(key.frame);
  },
  lookedAt() {
    return this.desk.lookedAt();
  },
  pullToEdge() {
    const { preview, fits } = this.desk;
    const { selection, view } = this.desk.store;
    const { shape } = selection;
    if (!selection.editable.includes(shape)) return;
    return this.desk.attempt(async () => {
      this.tell("Looking for the edge ...");
      const read = await fits.pull(shape.id, [...selection.pointsOf(shape.id)], Number(this.pullRadius) || 8);
      this.bye();
      const why = `The edge is known on ${read.known} % of that stretch; points would move by ${read.mean} px on average, ${read.most} at most.`;
      await preview.begin(edit.form({ shape: shape.id, frame: view.frame, points: read.points, ...view.scoping }), why);
    });
  },
}));
