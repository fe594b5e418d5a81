// The step Carry: tracks, and what rides on them.

import { timeLeft } from "../../model/jobs.js";
import { newId } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { part } from "./component.js";

const HOWS = { move: "moving it", similar: "moving, turning and sizing it", affine: "shearing it too", perspective: "full perspective", bend: "bending it" };

const named = ({ id, name }) => ({ id, name });

export const carryStep = part(() => ({
  tracks: [], track: null, following: false, followDone: 0, followSays: "", proxies: false, smoothBy: 2, followGoal: "", joinWith: "", joinable: [], steadied: false,
  ridesOn: "", ridesBy: "", ridingHows: [], tolerance: 0.5, thinning: false, thinSays: "", mayHoldOut: [], heldOut: [], patchElsewhere: false,

  connected(desk) {
    desk.thinning.tell = (text) => this.tell(text);
  },
  sync() {
    const { store, tracks: net } = this.desk;
    const { document, selection, view } = store;
    const { first, last } = document.shot;
    const x = (frame) => (80 * (frame - first)) / Math.max(1, last - first);
    this.tracks = [...document.tracks.values()].map((t) => ({
      id: t.id, name: t.name, chosen: t.id === selection.track,
      says: t.frames.length > 1 ? `${t.frames[0]}-${t.frames.at(-1)}` : `only ${t.frames[0]}`,
      plot: t.frames.map((f, i) => `${i ? "L" : "M"}${x(f).toFixed(1)} ${(18 - 16 * t.confidence[i]).toFixed(1)}`).join(" "),
      gaps: "M0 19 L80 19",
    }));
    const track = selection.trackNow;
    this.track = track && { name: track.name, patch: track.patch, parts: track.parts, bends: track.hows[0] === "bend" };
    this.proxies = net.proxies;
    this.patchElsewhere = Boolean(track?.patch) && track.patch.frame !== view.frame;
    this.steadied = Boolean(track) && view.steadyOn === track.id;
    this.joinable = track ? [...document.tracks.values()].filter((t) => t !== track && t.parts + track.parts <= 4).map(named) : [];
    if (!this.joinable.some((t) => t.id === this.joinWith)) this.joinWith = this.joinable[0]?.id || "";
    const out = track?.patch?.holds_out || [];
    const others = [...document.shapes.values()].filter((s) => s.kind !== "group" && s.id !== track?.patch?.shape);
    this.heldOut = others.filter((s) => out.includes(s.id)).map(named);
    this.mayHoldOut = others.filter((s) => !out.includes(s.id)).map(named);
    this.syncFollowing();
    this.syncThinning();
    this.syncCarrier(selection.shape?.carrier, document.tracks);
  },
  // How far the newest following of the chosen track is.
  syncFollowing() {
    const { busy, job } = this.desk.tracks;
    this.following = busy;
    this.followDone = job?.percent || 0;
    const found = job?.done ? `Followed ${job.done} ${job.done > 1 ? "frames" : "frame"}.` : "";
    this.followSays = !job ? "" : busy ? `Following: ${job.done} of ${job.total} frames${timeLeft(job)}.` : job.message || found;
  },
  // What the chosen shape rides on.
  syncCarrier(carrier, tracks) {
    this.ridesOn = !carrier ? "" : carrier.byGroup ? "group" : carrier.track || "";
    this.ridesBy = carrier?.how || "";
    const hows = (carrier?.track && !carrier.byGroup && tracks.get(carrier.track)?.hows) || [];
    this.ridingHows = hows.map((how) => ({ how, says: HOWS[how] }));
  },

  chooseTrack(t) {
    this.desk.store.selection.chooseTrack(t.id);
  },
  layTrack(how) {
    const { store } = this.desk;
    if (store.view.drawing === how) this.desk.stopTracing();
    else this.desk.layTrack(how);
  },
  layPlane() {
    this.desk.tracks.begin({ name: `${this.shape.name} plane`.slice(0, 60), shape: this.shape.id });
  },
  renameTrack(event) {
    const name = event.target.value.trim();
    const { track } = this.desk.store.selection;
    if (name && name !== this.track.name) this.send(edit.renameTrack({ track, name }));
    else event.target.value = this.track.name;
  },
  removeTrack() {
    this.send(edit.removeTrack({ track: this.desk.store.selection.track }));
  },
  follow(by) {
    this.desk.tracks.follow(by);
  },
  stopFollowing() {
    return this.desk.attempt(() => this.desk.tracks.cancel());
  },
  setPatch(name, event) {
    const value = name === "model" ? event.target.value : Number(event.target.value);
    if (value) this.send(edit.trackPatch({ track: this.desk.store.selection.track, [name]: value }));
  },
  patchFromHere() {
    this.send(edit.trackPatch({ track: this.desk.store.selection.track, frame: this.frame }));
  },
  holdOut(event) {
    const id = event.target.value;
    event.target.value = "";
    if (id) this.send(edit.trackPatch({ track: this.desk.store.selection.track, holds_out: [...this.heldOut.map((s) => s.id), id] }));
  },
  letIn(shape) {
    this.send(edit.trackPatch({ track: this.desk.store.selection.track, holds_out: this.heldOut.map((s) => s.id).filter((id) => id !== shape.id) }));
  },
  setProxies(event) {
    this.desk.tracks.proxies = event.target.checked;
  },
  smoothTrack() {
    const frames = Number(this.smoothBy);
    if (frames > 0) return this.desk.attempt(() => this.desk.preview.begin(edit.smoothTrack({ track: this.desk.store.selection.track, frames })));
  },
  followTo() {
    const to = Math.round(Number(this.followGoal));
    if (Number.isFinite(to)) this.desk.tracks.follow(0, to);
  },
  joinTrack() {
    const { store } = this.desk;
    const other = store.document.tracks.get(this.joinWith);
    const track = newId();
    const name = `${this.track.name} + ${other.name}`.slice(0, 60);
    this.desk.edits.push(edit.joinTracks({ track, name, tracks: [store.selection.track, other.id], frame: store.view.frame })).then(() => store.document.tracks.has(track) && store.selection.chooseTrack(track));
  },
  cutTrack(side) {
    const { store } = this.desk;
    const [first, last] = side < 0 ? [store.view.frame, store.document.shot.last] : [store.document.shot.first, store.view.frame];
    this.send(edit.cutTrack({ track: store.selection.track, first, last }));
  },
  async takeInTrack(event) {
    const [file] = event.target.files;
    event.target.value = "";
    try {
      await this.desk.tracks.takeIn(file);
    } catch (error) {
      this.tell(`Not taken in. ${error.message}`);
    }
  },
  get trackUrl() {
    const { store } = this.desk || {};
    return store?.track ? `/api/shots/${store.document.shot.id}/tracks/${store.selection.track}/table` : "#";
  },
  steadyView() {
    this.desk.steadyView();
  },

  setCarrier(event) {
    this.desk.carry(event.target.value || null, null);
  },
  setHow(event) {
    this.desk.carry(this.ridesOn, event.target.value);
  },
  tryOut(command) {
    const { selection } = this.desk.store;
    if (!selection.editable.includes(selection.shape)) return;
    return this.desk.attempt(async () => {
      this.tell("Working it out ...");
      await this.desk.preview.begin(command(selection.shape.id));
      this.bye();
    });
  },
  syncThinning() {
    const { busy, job } = this.desk.thinning;
    this.thinning = busy;
    const keys = job?.partial.keys;
    this.thinSays = keys ? `Trying which keys are needed: ${keys} keys by now.` : "Trying which keys are needed.";
  },
  thin(baked) {
    const { selection } = this.desk.store;
    if (!selection.editable.includes(selection.shape)) return;
    return this.desk.attempt(() => this.desk.thinning.ask({ tolerance: Number(this.tolerance), baked }));
  },
  stopThinning() {
    return this.desk.attempt(() => this.desk.thinning.cancel());
  },
  bake() {
    return this.tryOut((shape) => edit.bake({ shape, first: this.first, last: this.last, tolerance: null }));
  },
}));
