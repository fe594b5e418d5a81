// What each person has hidden or shown alone: kept in the browser, per shot. It clears the view; the matte stays what it is.

export class Marks {
  constructor(shot) {
    this.key = `jaythread-marks-${shot}`;
    const kept = JSON.parse(localStorage.getItem(this.key) || "{}");
    this.veiled = new Set(kept.veiled || []);
    this.alone = null;
  }

  keep() {
    localStorage.setItem(this.key, JSON.stringify({ veiled: [...this.veiled] }));
  }

  toggle(kind, ids) {
    const set = this[kind];
    const all = ids.every((id) => set.has(id));
    for (const id of ids) if (all) set.delete(id);
      else set.add(id);
    this.keep();
  }

  isShown(id) {
    return this.alone ? this.alone === id : !this.veiled.has(id);
  }
}
