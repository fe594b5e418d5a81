// The step Soften of a taught line: frames that are finished, what to finish next, teaching.

import { isBusy, timeLeft } from "../../model/jobs.js";
import { edit } from "../../net/commands.js";
import { part } from "./component.js";

const NOTHING = { finished: [], next: null, why: "", new: false, left: 0, taught: false };

export const taughtLine = part(() => ({
  is: false, name: "", finished: [], next: null, why: "", busy: false, done: 0, says: "", here: null, pair: "", unseen: "", ready: false, fresh: false, ranged: false, solid: false, outlined: "", asked: 0,

  sync() {
    const { store, taught } = this.desk;
    this.is = Boolean(taught.chosen);
    if (!this.is) return;
    const { frame } = store.view;
    const state = taught.state || NOTHING;
    this.name = store.selection.shape.name;
    this.finished = state.finished.map((one) => ({ frame: one.frame, chosen: one.frame === frame, says: told(one) }));
    this.here = state.finished.find((one) => one.frame === frame) || null;
    this.pair = taught.pair(frame);
    this.unseen = taught.unseen(frame);
    this.next = state.next;
    this.why = state.why;
    this.ready = this.finished.length > 1 && (state.new || state.left > 0);
    this.fresh = state.taught && !state.new;
    const { shot, working } = store.document;
    this.ranged = working[0] !== shot.first || working[1] !== shot.last;
    this.syncJobs(taught);
  },
  syncJobs({ job, outlining, state }) {
    this.busy = isBusy(job) || isBusy(outlining);
    this.done = (isBusy(job) ? job : outlining)?.percent || 0;
    const failed = job?.state === "failed" ? job.message : job?.state === "cancelled" && this.ready ? "Stopped. What is learned and filled is kept: it goes on from there." : "";
    this.says = isBusy(job) ? going(job) : [stands(state), failed].filter(Boolean).join(" ");
    this.solid = this.fresh && state.filled.length > 1;
    if (isBusy(outlining)) this.asked = outlining.id; // what was made before this page was opened is no news
    this.outlined = isBusy(outlining) ? `Making an outline: ${outlining.percent || 0} %${timeLeft(outlining)}.` : (outlining && outlining.id === this.asked && outlining.message) || "";
  },

  go(frame) {
    this.desk.store.view.go(frame);
  },
  finish(finished) {
    return this.desk.attempt(() => this.desk.taught.finish(this.desk.store.view.frame, finished));
  },
  teach() {
    return this.desk.attempt(() => this.desk.taught.findAll());
  },
  makeOutline() {
    return this.desk.attempt(() => this.desk.taught.makeOutline());
  },
  stop() {
    return this.desk.attempt(() => this.desk.taught.cancel());
  },
  solveInstead() {
    this.desk.edits.push(edit.entry({ entry: this.desk.taught.chosen.id, mode: "solve" }));
  },
}));

function told(one) {
  if (one.better_on) return `its matte lies better on ${one.better_on}`;
  if (one.stale) return "changed since: finish it again";
  return one.off === null || one.off === undefined ? "" : `unseen, off by ${(100 * one.off).toFixed(1)} %`;
}

function stands(state) {
  if (!state) return "";
  if (!state.finished.length) return "What you see is solved from the plate. Correct one frame, by shapes or from files, until its matte is right, and finish it.";
  if (!state.taught) return state.finished.length < 2 ? "One more frame at least, then it can be taught." : "Not taught yet.";
  const off = state.unseen === null ? "" : ` On finished frames that it had not seen it was off by ${(100 * state.unseen).toFixed(1)} % in the band.`;
  return `${state.new ? "Taught by other frames than those that are finished now." : `${state.filled.length === 1 ? "1 frame is" : `${state.filled.length} frames are`} filled.`}${off}`;
}

function going(job) {
  const off = job.partial?.off;
  const which = job.partial?.frame ? `Frame ${job.partial.frame}, which it has not seen,` : "A frame that it has not seen";
  const seen = off === undefined ? "" : ` ${which} is off by ${(100 * off).toFixed(1)} %.`;
  return `Teaching and filling: ${job.percent || 0} %${timeLeft(job)}.${seen}`;
}
