// Tracks on the server: begins them, has them followed, knows how well a plane holds.

import { get, newId, post } from "./api.js";
import { edit } from "./commands.js";

const QUIET = 300; // ms on a frame before it is asked how well a plane holds there
const FOLLOW = "track.follow";

export class Tracks extends EventTarget {
  /** @param {import("../model/store.js").Store} store @param {import("./edits.js").Edits} edits @param {import("./work.js").Work} work */
  constructor(store, edits, work) {
    super();
    this.store = store;
    this.edits = edits;
    this.work = work;
    this.proxies = false;
    /** @type {(text: string) => void} */
    this.tell = () => {};
    this.held = null; // how well the chosen plane holds on a frame: {name, ticks}
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
    store.jobs.addEventListener("jobs", (e) => {
      for (const job of /** @type {CustomEvent} */ (e).detail) if (job.kind === FOLLOW && job.message && !["waiting", "working"].includes(job.state)) this.#ended(job);
      this.dispatchEvent(new Event("state"));
    });
  }

  #told = new Set(); // jobs whose end was said

  #ended(job) {
    if (this.#told.has(job.id) || job.subject !== this.store.selection.track) return;
    this.#told.add(job.id);
    if (this.opened) this.tell(job.message);
  }

  // The newest following of the chosen track.
  get job() {
    return this.store.jobs.of(FOLLOW, this.store.selection.track);
  }
  get busy() {
    return this.store.jobs.isBusy(FOLLOW, this.store.selection.track);
  }
  // What the following that is under way has found of a track: [frame, points, confidence] each.
  livePath(track) {
    return this.store.jobs.isBusy(FOLLOW, track) ? this.store.jobs.of(FOLLOW, track)?.partial.path || [] : [];
  }

  // How well a plane holds is asked for when the artist stays on a frame.
  later() {
    clearTimeout(this.timer);
    const { document, selection, view } = this.store;
    const track = selection.trackNow;
    if (view.step !== "carry" || view.playing || track?.parts !== 4 || !track.patch || !document.knows(track, view.frame) || this.busy) return;
    const name = `${track.id}/${track.revision}/${view.frame}`;
    if (this.held?.name === name) return;
    this.timer = setTimeout(async () => {
      try {
        const told = await get(`/shots/${document.shot.id}/tracks/${track.id}/holds/${view.frame}`);
        this.held = { name, track: track.id, ...told };
        this.dispatchEvent(new Event("state"));
      } catch {
        /* without it the plane is shown as it is */
      }
    }, QUIET);
  }

  get ticks() {
    const { held } = this;
    const { pending, selection, view } = this.store;
    return held?.frame === view.frame && held.track === selection.track && !pending.track && view.step === "carry" ? held.ticks : [];
  }

  begin(said) {
    const track = newId();
    const { document, selection, view } = this.store;
    return this.edits.push(edit.newTrack({ track, frame: view.frame, ...said })).then(() => {
      if (document.tracks.has(track)) selection.chooseTrack(track);
      return document.tracks.has(track) ? track : null;
    });
  }

  // by: -2 all back, -1 one back, 1 one on, 2 all on; or to a frame
  async follow(by, goal = null) {
    const { document, selection, view } = this.store;
    const { track } = selection;
    const { frame } = view;
    const { first, last } = document.shot;
    const [begin, end] = document.working; // beyond it, a following goes to the end of the shot
    const to = goal ?? { [-2]: frame > begin ? begin : first, [-1]: frame - 1, 1: frame + 1, 2: frame < end ? end : last }[by];
    if (!track || to === frame || to < first || to > last) return this.tell("There is no frame to follow to in that direction.");
    this.opened = true;
    try {
      const job = await this.work.ask(FOLLOW, track, { frame, to, proxies: this.proxies });
      if (Math.abs(by) === 1 && job?.state === "done" && !job.message) view.go(to);
    } catch (error) {
      this.tell(error.message);
    }
  }

  cancel() {
    return this.work.cancel(this.job);
  }

  async takeIn(file) {
    const { document, selection } = this.store;
    const body = new FormData();
    body.append("file", file);
    const { id } = await post(`/shots/${document.shot.id}/tracks`, body);
    await this.work.news.ask();
    selection.chooseTrack(id);
  }
}
