// Pictures of the plate: quick ones of the frames around the present one kept ahead for stepping and playing, the full-size lossless one
// from 100 % on. What is kept is bounded: a long shot never fills the memory.

const FULL_KEPT = 6; // full-size pictures: 8 MB each at full HD
const QUICK_KEPT = 190; // quick pictures: 3.7 MB each decoded
const PATIENCE = 40; // ms between two looks whether something more urgent is done

async function fetched(url) {
  const reply = await fetch(url);
  if (!reply.ok) throw new Error(String(reply.status));
  return createImageBitmap(await reply.blob());
}

export class Plates extends EventTarget {
  /** @param {import("../model/store.js").Store} store */
  constructor(store) {
    super();
    this.store = store;
    this.quick = new Map();
    this.full = new Map();
    this.loading = new Set();
    this.missing = new Set(store.document.plate ? store.document.plate.missing : []);
    this.hands = 0;
    this.urgent = () => false; // told by the composition root: whether something is waited for that should not share the machine
    store.addEventListener("frame", () => this.ahead());
    this.ahead();
  }

  /** @param {string} kind @param {number} frame @param {{id: number, version: string} | null} [plate] */
  url(kind, frame, plate = this.store.document.plate) {
    const { id, version } = plate;
    return kind === "full" ? `/plates/${id}/full/${frame}.png?l=${version}` : `/plates/${id}/proxy/${frame}.jpg?l=${version}`;
  }

  async load(kind, frame) {
    const kept = kind === "full" ? this.full : this.quick;
    const name = kind + frame;
    if (!this.store.document.plate || kept.has(frame) || this.loading.has(name) || this.missing.has(frame)) return;
    this.loading.add(name);
    try {
      kept.set(frame, await fetched(this.url(kind, frame)));
      this.forget(kept, kind === "full" ? FULL_KEPT : QUICK_KEPT);
      this.dispatchEvent(new CustomEvent("loaded", { detail: frame }));
    } catch {
      /* asked again when the frame is looked at next */
    } finally {
      this.loading.delete(name);
    }
  }

  // Keep the nearest ones.
  forget(kept, most) {
    while (kept.size > most) {
      let far = null;
      for (const frame of kept.keys()) if (far === null || this.away(frame) > this.away(far)) far = frame;
      kept.get(far).close();
      kept.delete(far);
    }
  }

  // How many frames off; while playing what is behind counts as farther.
  away(frame) {
    const by = frame - this.store.view.frame;
    const way = this.store.view.playing;
    return way && by * way < 0 ? Math.abs(by) * 3 : Math.abs(by);
  }

  // The nearest frame within what is kept that is not here yet.
  next() {
    const { first, last } = this.store.document.shot;
    let best = null;
    let near = 0;
    for (let f = first; f <= last; f++) {
      const away = this.away(f);
      if (this.quick.has(f)) near += 1;
      else if (!this.missing.has(f) && !this.loading.has(`quick${f}`) && (best === null || away < this.away(best))) best = f;
    }
    if (best === null) return null;
    if (near < QUICK_KEPT) return best;
    const farthest = Math.max(...[...this.quick.keys()].map((f) => this.away(f)));
    return this.away(best) < farthest - 1 ? best : null;
  }

  // Load quick pictures, from the present frame outwards, until as many are here as may be kept.
  async ahead() {
    if (this.hands >= (this.store.view.playing ? 2 : 1)) return;
    this.hands += 1;
    for (let frame = this.next(); frame !== null; frame = this.next()) {
      while (this.urgent()) await new Promise((wake) => setTimeout(wake, PATIENCE));
      await this.load("quick", frame);
      if (!this.quick.has(frame)) break; // no connection, or no such picture: asked again when the frame is looked at
    }
    this.hands -= 1;
  }

  // The best picture there is of a frame; asks for a better one when it should be there.
  best(frame, wantsFull) {
    this.load("quick", frame);
    if (wantsFull) this.load("full", frame);
    return (wantsFull && this.full.get(frame)) || this.quick.get(frame) || this.full.get(frame) || null;
  }
}
