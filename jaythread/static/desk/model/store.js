// What the desk knows, in slices; each has the only code that writes it. All their events come by here too.

import { Document } from "./document.js";
import { Jobs } from "./jobs.js";
import { Pending } from "./pending.js";
import { Selection } from "./selection.js";
import { ViewState } from "./view_state.js";

export class Store extends EventTarget {
  /** @param {import("./types.js").DeskData} data */
  constructor(data) {
    super();
    this.document = new Document(data);
    this.selection = new Selection(this.document);
    this.view = new ViewState(this.document);
    this.pending = new Pending(this.document, this.selection, this.view);
    this.jobs = new Jobs();
    for (const slice of [this.document, this.selection, this.view, this.pending, this.jobs]) slice.joins(this);
  }

  // For what concerns no single slice.
  /** @param {string} what */
  say(what) {
    this.dispatchEvent(new CustomEvent(what));
  }

  // A shape that was traced just now: shown and chosen until the server knows it.
  provisional(command) {
    this.document.provisional(command);
    this.selection.choose(command.shape);
  }
}
