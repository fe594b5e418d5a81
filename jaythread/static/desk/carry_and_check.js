// The acts of the steps Carry and Check; `Desk` has them as its own.

import { pan } from "./geom/view.js";

export const carryAndCheck = {
  // how: "track" for a point that is followed, "hand track" for one that is laid by hand
  layTrack(how = "track") {
    if (!this.store.mayTrace) return this.tell("Your role here is to look; artists and leads trace.");
    this.store.set("step", "carry");
    this.store.set("hidden", false);
    this.store.set("drawing", how);
  },

  // The chosen shapes ride on a track from now on ("group": on what their group rides on; null: on none), as they lie on this frame.
  carry(track, how) {
    const { store } = this;
    const commands = store.movable.map((s) => ({ do: "carry", shape: s.id, frame: store.frame, track, how }));
    if (commands.length) this.edits.pushAll(track ? `${commands.length} shapes ride along` : `${commands.length} shapes ride on nothing`, commands);
  },

  goWeak(frame) {
    const { store, fits } = this;
    const shape = fits.of(frame)?.[1];
    if (store.shapes.has(shape)) store.choose(shape);
    store.go(frame);
  },

  // The weakest frame that nobody has looked at; when it is up already, the next of them.
  nextWeak() {
    const { store, fits } = this;
    if (store.step !== "check") this.setStep("check");
    const list = fits.state?.weakest || [];
    if (!fits.state?.measured) return this.tell("The fit is not measured yet: press Measure all frames in the step Check.");
    if (!list.length) return this.tell("No frame that was not looked at is off by a pixel.");
    this.goWeak(list[(list.indexOf(store.frame) + 1) % list.length]);
  },

  async lookedAt() {
    const { store, fits } = this;
    if (!store.mayTrace || !fits.on) return;
    try {
      await fits.looked(store.frame, !fits.of(store.frame)?.[2]);
    } catch (error) {
      this.tell(error.message);
    }
  },

  // Look at the picture through the chosen track: what it follows stays where it is on the screen.
  steadyView() {
    const { store } = this;
    if (!store.trackNow) return this.tell("Choose a track first: the picture is held still on it.");
    store.set("steadyOn", store.steadyOn === store.track ? null : store.track);
    this.heldAt = store.frame;
  },

  held() {
    const { store, stage } = this;
    const track = store.tracks.get(store.steadyOn);
    if (!track || this.heldAt === undefined) return;
    const middle = (frame) => [0, 1].map((c) => store.trackPoints(track, frame).reduce((sum, p) => sum + p[c], 0) / track.parts);
    const [was, now] = [middle(this.heldAt), middle(store.frame)];
    this.heldAt = store.frame;
    const { scale } = stage.view;
    stage.setView(pan(stage.view, (was[0] - now[0]) * scale, (was[1] - now[1]) * scale));
  },
};
