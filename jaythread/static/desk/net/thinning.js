// Having the keys of a shape thinned: asks for it, and knows how it stands.

const THIN = "shape.thin";

export class Thinning extends EventTarget {
  #told = new Set(); // jobs whose end was said

  /** @param {import("../model/store.js").Store} store @param {import("./work.js").Work} work */
  constructor(store, work) {
    super();
    this.store = store;
    this.work = work;
    /** @type {(text: string) => void} */
    this.tell = () => {};
    store.jobs.addEventListener("jobs", (e) => {
      for (const job of /** @type {CustomEvent} */ (e).detail) if (job.kind === THIN) this.#heard(job);
    });
  }

  #heard(job) {
    this.dispatchEvent(new Event("state"));
    if (["waiting", "working"].includes(job.state) || this.#told.has(job.id) || !this.opened) return;
    this.#told.add(job.id);
    if (job.message) this.tell(job.message);
  }

  get job() {
    return this.store.jobs.of(THIN, this.store.selection.shape?.id);
  }
  get busy() {
    return this.store.jobs.isBusy(THIN, this.store.selection.shape?.id);
  }

  /** @param {{tolerance: number, baked: boolean}} settings */
  ask(settings) {
    this.opened = true;
    return this.work.ask(THIN, this.store.selection.shape.id, settings);
  }
  cancel() {
    return this.work.cancel(this.job);
  }
}
