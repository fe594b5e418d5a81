// A second window of the same shot (the picture on another screen) in step with the first: frame, matte and what is chosen go both ways; of an edit
// the other window asks at once.

export class InStep {
  #hearing = false; // what is heard is not said again
  #revision;

  /** @param {import("../model/store.js").Store} store @param {import("./news.js").News} news @param {string} who
   *  @param {boolean} second whether this is the window of the picture alone; two ordinary pages go their own ways */
  constructor(store, news, who, second) {
    this.store = store;
    this.second = second;
    this.news = news;
    this.#revision = store.document.revision;
    this.channel = new BroadcastChannel(`jaythread-${who}-${store.document.shot.id}`);
    this.channel.onmessage = (e) => this.#hear(e.data);
    store.addEventListener("frame", () => this.#say({ frame: store.view.frame }));
    store.addEventListener("changed", () => this.#saySelection());
  }

  #saySelection() {
    const { document, selection } = this.store;
    if (document.revision !== this.#revision) {
      this.#revision = document.revision;
      this.#say({ revision: document.revision });
    }
    const chosen = selection.ids.map((id) => [id, [...selection.pointsOf(id)]]);
    const said = JSON.stringify([selection.matte, chosen]);
    if (said === this.said) return;
    this.said = said;
    this.#say({ matte: selection.matte, chosen });
  }

  #say(what) {
    if (!this.#hearing) this.channel.postMessage({ ...what, second: this.second });
  }

  #hear({ second, frame, revision, matte, chosen }) {
    const { document, selection, view } = this.store;
    if (revision > document.revision) this.news.ask();
    if (second === this.second) return;
    this.#hearing = true;
    if (frame !== undefined) view.go(frame);
    if (chosen && document.matte(matte)) {
      if (selection.matte !== matte) selection.turnTo(matte);
      selection.choosePoints(new Map(chosen.filter(([id]) => document.shapes.has(id)).map(([id, points]) => [id, new Set(points)])));
    }
    this.#hearing = false;
  }
}
