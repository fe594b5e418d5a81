// Pictures of the plate: quick ones of all frames kept ahead for stepping and playing, the full-size lossless one from 100 % on.

const FULL_KEPT = 10; // full-size pictures: 8 MB each at full HD
const QUICK_KEPT = 400; // quick pictures: 3.7 MB each decoded

export class Plates extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.quick = new Map();
    this.full = new Map();
    this.loading = new Set();
    this.missing = new Set(store.plate ? store.plate.missing : []);
    this.ahead();
  }

  url(kind, frame) {
    const { id, look } = this.store.plate;
    return kind === "full" ? `/plates/${id}/full/${frame}.png?l=${look}` : `/plates/${id}/proxy/${frame}.jpg?l=${look}`;
  }

  async load(kind, frame) {
    const kept = kind === "full" ? this.full : this.quick;
    const name = kind + frame;
    if (kept.has(frame) || this.loading.has(name) || this.missing.has(frame)) return;
    this.loading.add(name);
    try {
      const reply = await fetch(this.url(kind, frame));
      if (!reply.ok) throw new Error(String(reply.status));
      kept.set(frame, await createImageBitmap(await reply.blob()));
      const most = kind === "full" ? FULL_KEPT : QUICK_KEPT;
      while (kept.size > most) {
        const [oldest, bitmap] = kept.entries().next().value;
        bitmap.close();
        kept.delete(oldest);
      }
      this.dispatchEvent(new CustomEvent("loaded", { detail: frame }));
    } catch {
      /* asked again when the frame is looked at next */
    } finally {
      this.loading.delete(name);
    }
  }

  // Load all quick pictures, from the present frame outwards.
  async ahead() {
    const { first, last } = this.store.shot;
    const order = [];
    for (let f = first; f <= last; f++) order.push(f);
    order.sort((a, b) => Math.abs(a - this.store.frame) - Math.abs(b - this.store.frame));
    for (const frame of order.slice(0, QUICK_KEPT)) await this.load("quick", frame);
  }

  // The best picture there is of a frame; asks for a better one when it should be there.
  best(frame, wantsFull) {
    this.load("quick", frame);
    if (wantsFull) this.load("full", frame);
    return (wantsFull && this.full.get(frame)) || this.quick.get(frame) || this.full.get(frame) || null;
  }
}
