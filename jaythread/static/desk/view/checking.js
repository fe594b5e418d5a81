// What the panel says in the step Check. Mixed into `panel`.

export function checking() {
  return {
    fitMeasured: false, fitStale: true, fitBusy: false, fitDone: 0, fitSays: "", weakest: [], keyNext: "", lookedHere: false, fitHere: "", pullRadius: 8,

    syncChecking() {
      const { store, fits } = this.desk;
      const { state } = fits;
      const total = store.shot.last - store.shot.first + 1;
      this.fitMeasured = Boolean(state?.measured);
      this.fitStale = !state || state.measured < total;
      this.fitBusy = fits.busy;
      this.fitDone = state?.run?.total ? Math.round((100 * state.run.done) / state.run.total) : 0;
      this.fitSays = this.says(state, total);
      this.weakest = (state?.weakest || []).map((frame) => ({ frame, name: store.shapes.get(state.frames[frame][1])?.name || "", says: `${state.frames[frame][0].toFixed(1)} px` }));
      const next = state?.key;
      this.keyNext = next ? `A key of ${next.name} on ${next.frame} would help most: it is off by ${next.off.toFixed(1)} px there.` : "";
      this.lookedHere = Boolean(fits.of(store.frame)?.[2]);
      const known = store.shape && fits.here?.frame === store.frame ? fits.here.known[store.shape.id] : undefined;
      this.fitHere = known === undefined ? "" : `The picture shows the edge of ${store.shape.name} on ${known} % of its outline.`;
    },

    says(state, total) {
      if (!state) return "";
      if (this.fitBusy) return `Measuring: ${state.run.done} of ${state.run.total} frames.`;
      if (state.run?.state === "failed") return state.run.message;
      if (!state.measured) return "";
      const values = Object.values(state.frames);
      const unknown = values.filter(([off]) => off === null).length - (total - state.measured);
      const told = state.weakest.length ? `Off by ${state.weak.toFixed(0)} px or more:` : "No frame that was not looked at is off by a pixel.";
      const stale = total - state.measured;
      return [stale ? `${stale} frames have changed since.` : "", unknown > 0 ? `Nothing is known of ${unknown} frames.` : "", told].filter(Boolean).join(" ");
    },

    async answered(work) {
      try {
        await work;
      } catch (error) {
        this.tell(error.message);
      }
    },
    measureFit() {
      return this.answered(this.desk.fits.measure());
    },
    stopMeasuring() {
      return this.answered(this.desk.fits.cancel());
    },
    goWeak(w) {
      this.desk.goWeak(w.frame);
    },
    nextWeak() {
      this.desk.nextWeak();
    },
    goKey() {
      const { key } = this.desk.fits.state;
      this.desk.store.choose(key.shape);
      this.desk.store.go(key.frame);
    },
    lookedAt() {
      return this.desk.lookedAt();
    },
    async pullToEdge() {
      const { store, trial, fits } = this.desk;
      const { shape } = store;
      if (!store.editable.includes(shape)) return;
      try {
        this.tell("Looking for the edge ...");
        const read = await fits.pull(shape.id, [...store.pointsOf(shape.id)], Number(this.pullRadius) || 8);
        this.said = "";
        const why = `The edge is known on ${read.known} % of that stretch; points would move by ${read.mean} px on average, ${read.most} at most.`;
        await trial.begin({ do: "form", shape: shape.id, frame: store.frame, points: read.points, ...store.spreading }, why);
      } catch (error) {
        this.tell(error.message);
      }
    },
  };
}
