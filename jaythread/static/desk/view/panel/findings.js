// What was found on the frames of the matte: the worst first, a way there, a way to put it right.

import { timeLeft } from "../../model/jobs.js";
import { part } from "./component.js";

const SHOWN = 6;

export const findingsPart = part(() => ({
  found: [], more: 0, looked: false, stale: false, readBusy: false, readDone: 0, readSays: "", sheet: "", now: null, why: "",

  sync() {
    const { store, findings } = this.desk;
    const { state, job } = findings;
    const mine = state?.matte === store.selection.matte ? state : null;
    const all = findings.open;
    this.looked = Boolean(mine?.fresh.length);
    this.stale = !mine?.complete || mine.name !== findings.name;
    this.readBusy = findings.busy;
    this.readDone = job?.percent || 0;
    const at = Math.max(0, all.findIndex((f) => f.id === findings.chosen) - SHOWN + 1);
    this.found = all.slice(at, at + SHOWN).map((f) => ({ id: f.id, when: f.first === f.last ? `${f.first}` : `${f.first}-${f.last}`, says: f.says, chosen: f.id === findings.chosen }));
    this.more = all.length - this.found.length;
    this.now = all.find((f) => f.id === findings.chosen) || null;
    this.sheet = store.selection.matte ? `/shots/${store.document.shot.id}/mattes/${store.selection.matte}/check` : "";
    this.readSays = this.saysOfReading(job, mine, all.length);
  },
  saysOfReading(job, mine, count) {
    if (this.readBusy) return job.total ? `Looking: ${job.done} of ${job.total}${timeLeft(job)}.` : "Waiting for a worker.";
    if (job?.state === "failed") return job.message;
    if (!mine?.fresh.length) return "";
    if (this.stale) return "Something has changed since.";
    return count ? "" : "Nothing is thought wrong with any frame.";
  },

  readFrames() {
    return this.desk.attempt(() => this.desk.findings.measure());
  },
  stopReading() {
    return this.desk.attempt(() => this.desk.findings.cancel());
  },
  goFound(id) {
    this.why = "";
    this.desk.goFound(id);
  },
  nextFound() {
    this.desk.nextFound();
  },
  mend(act) {
    this.desk.edits.push(act.command);
  },
  meantSo() {
    return this.desk.attempt(async () => {
      await this.desk.findings.meant(this.now.id, this.why);
      this.why = "";
    });
  },
}));
