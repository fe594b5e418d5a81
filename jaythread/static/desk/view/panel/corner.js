// The corners of the picture: what a change touches, zoom, figures under the pointer, how it plays.

import { keepKnown, knows, nextThing } from "../../model/next.js";
import { touches } from "../../model/sentences.js";
import { modeOf } from "../modes/index.js";
import { part } from "./component.js";

export const corner = part(() => ({
  touch: ["", "", ""], warned: false, zoom: "", samples: "", under: "", hidden: false, next: "", playing: false, playSays: "",

  connected(desk) {
    desk.store.view.addEventListener("under", () => (this.under = desk.store.view.figures));
    desk.player.addEventListener("state", () => {
      this.playing = Boolean(desk.player.way);
      this.playSays = desk.player.says;
    });
  },
  sync() {
    const { stage, store, mattes, fits } = this.desk;
    const { view } = store;
    this.touch = touches(store, fits.lookedAt);
    this.next = knows() ? "" : nextThing(store, fits);
    this.warned = view.scope !== "here";
    this.zoom = `${Math.round(stage.view.scale * 100)}%`;
    this.samples = modeOf(view.mode).needsMatte ? mattes.says : "";
    this.hidden = view.hidden;
    if (!view.loupe) this.under = "";
  },
  // Whoever knows the way is not told it any more (the list of keys brings it back).
  known() {
    keepKnown(true);
    this.sync();
  },
  fit() {
    this.desk.stage.fit();
  },
  exact() {
    this.desk.stage.exact();
  },
}));
