// What the panel says of a fringe. Mixed into `panel`.

export function fringes() {
  return {
    isFringe: false, brush: 24, fringeSays: "", fringeBusy: false, fringeWhole: false, fringeDone: 0,

    syncFringes() {
      const { store, fringes: all, mattes } = this.desk;
      this.isFringe = Boolean(all.chosen);
      this.brush = this.desk.ways.brush.radius;
      const state = this.isFringe && all.state;
      const run = state?.run || {};
      this.fringeBusy = ["waiting", "working"].includes(run.state);
      this.fringeWhole = Boolean(state && run.state === "done" && state.solved.length >= run.total);
      this.fringeDone = run.total ? Math.round((100 * run.done) / run.total) : 0;
      const many = state ? state.solved.length : 0;
      const here = state && state.solved.includes(store.frame) ? "steadied" : { "by itself": "solved from this frame alone", "not solved": "not solved yet" }[mattes.fringe];
      this.fringeSays = !this.isFringe ? "" : [
        here ? `This frame: ${here}.` : "",
        this.fringeBusy ? `Solving: ${run.done} of ${run.total} frames.` : state ? `${many} frames are solved and steadied.` : "",
        run.state === "failed" ? run.message : "",
      ].filter(Boolean).join(" ");
    },

    paintFringe() {
      const { store } = this.desk;
      if (store.drawing) return this.desk.stopTracing();
      if (!store.editable.length || this.isFringe) return this.tell("Choose the shape whose hair or fuzz is to be solved.");
      store.set("drawing", "brush");
    },
    fringeOfReach() {
      this.desk.fringes.make(null, 0);
    },
    setBrush(event) {
      this.desk.ways.brush.radius = Math.min(1000, Math.max(1, Number(event.target.value) || 24));
      this.syncFringes();
    },
    async solveAll() {
      try {
        await this.desk.fringes.solveAll();
      } catch (error) {
        this.tell(error.message);
      }
    },
    async stopSolving() {
      try {
        await this.desk.fringes.cancel();
      } catch (error) {
        this.tell(error.message);
      }
    },
  };
}
