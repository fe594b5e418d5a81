// The acts of the steps Carry and Check; `Desk` has them as its own.

import { pan } from "../geom/view.js";
import { edit } from "../net/commands.js";

export const carryAndCheck = {
  // how: "track" for a point that is followed, "hand track" for one that is laid by hand
  layTrack(how = "track") {
    if (!this.store.document.mayTrace) return this.tell("Your role here is to look; artists and leads trace.");
    this.store.view.set("step", "carry");
    this.store.view.set("hidden", false);
    this.store.view.set("drawing", how);
  },

  // The chosen shapes ride on a track from now on ("group": on what their group rides on; null: on none), as they lie on this frame.
  carry(track, how) {
    const { store } = this;
    const commands = store.selection.movable.map((s) => edit.carry({ shape: s.id, frame: store.view.frame, track, how }));
    if (commands.length) this.edits.pushAll(track ? `${commands.length} shapes ride along` : `${commands.length} shapes ride on nothing`, commands);
  },

  goWeak(frame) {
    const { store, fits } = this;
    const shape = fits.of(frame)?.[1];
    if (store.document.shapes.has(shape)) store.selection.choose(shape);
    store.view.go(frame);
  },

  // The weakest frame that nobody has looked at; when it is up already, the next of them.
  nextWeak() {
    const { store, fits } = this;
    if (store.view.step !== "check") this.setStep("check");
    const list = fits.state?.weakest || [];
    if (!fits.state?.measured) return this.tell("The fit is not measured yet: press the button Measure in the step Check.");
    if (!list.length) return this.tell("Every frame is within a pixel, or was looked at.");
    this.goWeak(list[(list.indexOf(store.view.frame) + 1) % list.length]);
  },

  goFound(id) {
    const { store, findings } = this;
    const found = findings.open.find((f) => f.id === id);
    if (!found) return;
    findings.chosen = id;
    store.view.go(Math.max(found.first, store.document.shot.first));
    findings.dispatchEvent(new Event("state"));
    store.dispatchEvent(new Event("frame")); // also when it is the frame that is up
  },

  // What was found, from the worst on; beyond the last one the first again.
  async nextFound() {
    const { store, findings } = this;
    if (store.view.step !== "check") this.setStep("check");
    await findings.ask();
    const list = findings.open;
    if (!findings.state?.fresh.length) return this.tell("The frames were not looked at yet: press the button Look at all frames in the step Check.");
    if (!list.length) return this.tell("Nothing is thought wrong with any frame that was looked at.");
    this.goFound(list[(list.findIndex((f) => f.id === findings.chosen) + 1) % list.length].id);
  },

  // The next open note after this frame; beyond the last one the first.
  nextNote() {
    const { store, notes } = this;
    const frames = [...new Set(notes.open.map((n) => n.frame))].sort((a, b) => a - b);
    if (!frames.length) return this.tell("No note is open here.");
    store.view.go(frames.find((f) => f > store.view.frame) ?? frames[0]);
  },

  async lookedAt() {
    const { store, fits } = this;
    if (!store.document.mayTrace || !fits.on) return;
    try {
      await fits.looked(store.view.frame, !fits.of(store.view.frame)?.[2]);
    } catch (error) {
      this.tell(error.message);
    }
  },

  // Look at the picture through the chosen track: what it follows stays where it is on the screen.
  steadyView() {
    const { store } = this;
    if (!store.selection.trackNow) return this.tell("Choose a track first: the picture is held still on it.");
    store.view.set("steadyOn", store.view.steadyOn === store.selection.track ? null : store.selection.track);
    this.heldAt = store.view.frame;
  },

  held() {
    const { store, stage } = this;
    const track = store.document.tracks.get(store.view.steadyOn);
    if (!track || this.heldAt === undefined) return;
    const middle = (frame) => [0, 1].map((c) => store.pending.trackPoints(track, frame).reduce((sum, p) => sum + p[c], 0) / track.parts);
    const [was, now] = [middle(this.heldAt), middle(store.view.frame)];
    this.heldAt = store.view.frame;
    const { scale } = stage.view;
    stage.setView(pan(stage.view, (was[0] - now[0]) * scale, (was[1] - now[1]) * scale));
  },
};
