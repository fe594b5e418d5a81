// Tracks on the server: has them followed, looks how far that is, fetches the track when it is done.

import { newId, post, get } from "./api.js";

const QUIET = 300; // ms on a frame before it is asked how well a plane holds there
const BUSY = 300; // ms between two looks at work that is going on

export class Tracks extends EventTarget {
  constructor(store, edits) {
    super();
    Object.assign(this, { store, edits });
    this.run = null; // the newest following of the chosen track
    this.proxies = false;
    this.tell = () => {};
    this.refresh = async () => {};
    this.held = null; // how well the chosen plane holds on a frame: {name, ticks}
    for (const what of ["changed", "frame"]) store.addEventListener(what, () => this.later());
  }

  // How well a plane holds is asked for when the artist stays on a frame.
  later() {
    clearTimeout(this.timer);
    const { store } = this;
    const track = store.trackNow;
    if (store.step !== "carry" || store.playing || track?.parts !== 4 || !track.patch || !store.knows(track) || this.busy) return;
    const name = `${track.id}/${track.revision}/${store.frame}`;
    if (this.held?.name === name) return;
    this.timer = setTimeout(async () => {
      try {
        const told = await get(`/shots/${store.shot.id}/tracks/${track.id}/holds/${store.frame}`);
        this.held = { name, track: track.id, ...told };
        this.dispatchEvent(new Event("state"));
      } catch {
        /* without it the plane is shown as it is */
      }
    }, QUIET);
  }

  get ticks() {
    const { store, held } = this;
    return held?.frame === store.frame && held.track === store.track && !store.localTrack && store.step === "carry" ? held.ticks : [];
  }

  get busy() {
    return ["waiting", "working"].includes(this.run?.state);
  }

  begin(command) {
    const track = newId();
    return this.edits.push({ do: "new track", track, frame: this.store.frame, ...command }).then(() => {
      if (this.store.tracks.has(track)) this.store.set("track", track);
      return this.store.tracks.has(track) ? track : null;
    });
  }

  // by: -2 all back, -1 one back, 1 one on, 2 all on; or to a frame
  async follow(by, goal = null) {
    const { store } = this;
    const track = store.trackNow;
    const { frame } = store;
    const to = goal ?? { [-2]: store.shot.first, [-1]: frame - 1, 1: frame + 1, 2: store.shot.last }[by];
    if (!track || to === frame || to < store.shot.first || to > store.shot.last) return this.tell("There is no frame to follow to in that direction.");
    try {
      const told = await post(`/shots/${store.shot.id}/tracks/${track.id}/follow`, { frame, to, proxies: this.proxies });
      this.run = { ...told, track: track.id, path: [] };
      await this.look(track.id);
      if (Math.abs(by) === 1 && this.run?.state === "done" && !this.run.message) store.go(to);
    } catch (error) {
      this.tell(error.message);
    }
  }

  async look(track) {
    const { store } = this;
    try {
      const run = await get(`/shots/${store.shot.id}/tracks/${track}/following`);
      this.run = run.id ? { ...run, track } : null;
    } catch {
      /* without a connection it is asked again */
    }
    store.livePath = this.busy ? { track, path: this.run.path } : null;
    this.dispatchEvent(new Event("state"));
    if (this.busy) {
      await new Promise((wake) => setTimeout(wake, BUSY));
      return this.look(track);
    }
    await this.refresh();
    if (this.run?.message) this.tell(this.run.message);
  }

  async cancel() {
    if (this.run) await post(`/shots/${this.store.shot.id}/followings/${this.run.id}/cancel`, {});
  }

  async takeIn(file) {
    const body = new FormData();
    body.append("file", file);
    const { id } = await post(`/shots/${this.store.shot.id}/tracks`, body);
    await this.refresh();
    this.store.set("track", id);
  }
}
