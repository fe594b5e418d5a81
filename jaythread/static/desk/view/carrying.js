// What the panel says in the step Carry. Mixed into `panel`.

const HOWS = { move: "moving it", similar: "moving, turning and sizing it", affine: "shearing it too", perspective: "full perspective" };

export function carrying() {
  return {
    tracks: [], track: null, following: false, followDone: 0, followSays: "", proxies: false, smoothBy: 2, followGoal: "", joinWith: "", joinable: [], steadied: false,
    ridesOn: "", ridesBy: "", ridingHows: [], tolerance: 0.5, mayHoldOut: [], heldOut: [], patchElsewhere: false,

    syncCarrying() {
      const { store, tracks: net } = this.desk;
      const { first, last } = store.shot;
      const x = (frame) => (80 * (frame - first)) / Math.max(1, last - first);
      this.tracks = [...store.tracks.values()].map((t) => ({
        id: t.id, name: t.name, chosen: t.id === store.track,
        says: t.frames.length > 1 ? `${t.frames[0]}-${t.frames.at(-1)}` : `only ${t.frames[0]}`,
        plot: t.frames.map((f, i) => `${i ? "L" : "M"}${x(f).toFixed(1)} ${(18 - 16 * t.sure[i]).toFixed(1)}`).join(" "),
        gaps: "M0 19 L80 19",
      }));
      const track = store.trackNow;
      this.track = track && { name: track.name, patch: track.patch, parts: track.parts };
      this.following = net.busy && net.run.track === store.track;
      const mine = net.run?.track === store.track ? net.run : null;
      this.followDone = mine?.total ? Math.round((100 * mine.done) / mine.total) : 0;
      this.followSays = !mine ? "" : this.following ? `Following: ${mine.done} of ${mine.total} frames.` : mine.message || (mine.done ? `Followed ${mine.done} ${mine.done > 1 ? "frames" : "frame"}.` : "");
      this.proxies = net.proxies;
      this.patchElsewhere = Boolean(track?.patch) && track.patch.frame !== store.frame;
      this.joinable = track ? [...store.tracks.values()].filter((t) => t !== track && t.parts + track.parts <= 4).map((t) => ({ id: t.id, name: t.name })) : [];
      if (!this.joinable.some((t) => t.id === this.joinWith)) this.joinWith = this.joinable[0]?.id || "";
      const out = track?.patch?.holds_out || [];
      const others = [...store.shapes.values()].filter((s) => s.kind !== "group" && s.id !== track?.patch?.shape);
      this.heldOut = others.filter((s) => out.includes(s.id)).map((s) => ({ id: s.id, name: s.name }));
      this.mayHoldOut = others.filter((s) => !out.includes(s.id)).map((s) => ({ id: s.id, name: s.name }));
      this.steadied = Boolean(track) && store.steadyOn === track.id;
      const carrier = store.shape?.carrier;
      this.ridesOn = !carrier ? "" : carrier.byGroup ? "group" : carrier.track || "";
      this.ridesBy = carrier?.how || "";
      this.ridingHows = carrier?.track && !carrier.byGroup ? (store.tracks.get(carrier.track)?.hows || []).map((how) => ({ how, says: HOWS[how] })) : [];
    },

    chooseTrack(t) {
      this.desk.store.set("track", t.id);
      this.desk.tracks.look(t.id);
    },
    layTrack(how) {
      const { store } = this.desk;
      if (store.drawing === how) this.desk.stopTracing();
      else this.desk.layTrack(how);
    },
    layPlane() {
      this.desk.tracks.begin({ name: `${this.shape.name} plane`.slice(0, 60), shape: this.shape.id });
    },
    renameTrack(event) {
      const name = event.target.value.trim();
      const { track } = this.desk.store;
      if (name && name !== this.track.name) this.send({ do: "track look", track, name });
      else event.target.value = this.track.name;
    },
    removeTrack() {
      this.send({ do: "remove track", track: this.desk.store.track });
    },
    follow(by) {
      this.desk.tracks.follow(by);
    },
    async stopFollowing() {
      try {
        await this.desk.tracks.cancel();
      } catch (error) {
        this.tell(error.message);
      }
    },
    setPatch(name, event) {
      const value = name === "model" ? event.target.value : Number(event.target.value);
      if (value) this.send({ do: "track patch", track: this.desk.store.track, [name]: value });
    },
    patchFromHere() {
      this.send({ do: "track patch", track: this.desk.store.track, frame: this.frame });
    },
    holdOut(event) {
      const id = event.target.value;
      event.target.value = "";
      if (id) this.send({ do: "track patch", track: this.desk.store.track, holds_out: [...this.heldOut.map((s) => s.id), id] });
    },
    letIn(shape) {
      this.send({ do: "track patch", track: this.desk.store.track, holds_out: this.heldOut.map((s) => s.id).filter((id) => id !== shape.id) });
    },
    setProxies(event) {
      this.desk.tracks.proxies = event.target.checked;
    },
    async smoothTrack() {
      const frames = Number(this.smoothBy);
      if (!(frames > 0)) return;
      try {
        await this.desk.trial.begin({ do: "smooth track", track: this.desk.store.track, frames });
      } catch (error) {
        this.tell(error.message);
      }
    },
    followTo() {
      const to = Math.round(Number(this.followGoal));
      if (Number.isFinite(to)) this.desk.tracks.follow(0, to);
    },
    joinTrack() {
      const { store } = this.desk;
      const other = store.tracks.get(this.joinWith);
      const track = crypto.randomUUID();
      const name = `${this.track.name} + ${other.name}`.slice(0, 60);
      this.desk.edits.push({ do: "join tracks", track, name, tracks: [store.track, other.id], frame: store.frame }).then(() => store.tracks.has(track) && store.set("track", track));
    },
    cutTrack(side) {
      const { store } = this.desk;
      const [first, last] = side < 0 ? [store.frame, store.shot.last] : [store.shot.first, store.frame];
      this.send({ do: "cut track", track: store.track, first, last });
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
      return store?.track ? `/api/shots/${store.shot.id}/tracks/${store.track}/table` : "#";
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
    async tryOut(command) {
      const { store, trial } = this.desk;
      if (!store.editable.includes(store.shape)) return;
      try {
        this.tell("Working it out ...");
        await trial.begin({ shape: store.shape.id, ...command });
        this.said = "";
      } catch (error) {
        this.tell(error.message);
      }
    },
    thinKeys() {
      return this.tryOut({ do: "thin keys", tolerance: Number(this.tolerance) });
    },
    bake(thinned) {
      return this.tryOut({ do: "bake", first: this.first, last: this.last, tolerance: thinned ? Number(this.tolerance) : null });
    },
  };
}
