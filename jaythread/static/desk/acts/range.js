// The acts on the working range: the frames that matter, by which all work goes. `Desk` has them as its own.

import { edit } from "../net/commands.js";

export const workingRange = {
  // Home and End: the end of the working range; from there, that of the shot.
  toEnd(end) {
    const { document, view } = this.store;
    const { shot, working } = document;
    view.go(view.frame === working[end] ? [shot.first, shot.last][end] : working[end]);
  },

  // end: 0 for the first frame, 1 for the last
  rangeFrom(end) {
    const { document, view } = this.store;
    const { shot, working } = document;
    const at = [...working];
    at[end] = working[end] === view.frame ? [shot.first, shot.last][end] : view.frame;
    if (at[0] > at[1]) at[1 - end] = [shot.first, shot.last][1 - end]; // beyond the other end: that one lets go
    this.setRange(at);
  },

  /** @param {number[]} range */
  setRange(range) {
    const [first, last] = range;
    const { document } = this.store;
    if (!document.mayTrace) return this.tell("Your role here is to look; artists and leads set the working range.");
    if (first === document.working[0] && last === document.working[1]) return;
    document.provisionalRange([first, last]); // the other end may be set before the server answers
    return this.edits.push(edit.workingRange({ first, last }));
  },
};
