// What the page says above the picture: messages, what a change would do, one's own version of something that was refused.

import { part } from "./component.js";

export const notices = part(() => ({
  preview: "", refused: 0, signedOut: "",

  sync() {
    const { now } = this.desk.preview;
    this.preview = now ? `${now.why || ""} Would be: ${now.summary}.`.trim() : "";
    this.refused = this.desk.edits.refused.length;
    this.signedOut = this.desk.edits.signedOut;
  },
  takePreview() {
    this.desk.preview.take();
  },
  leavePreview() {
    this.desk.preview.leave();
  },
  takeMine() {
    this.desk.edits.takeMine();
  },
  dropMine() {
    this.desk.edits.dropMine();
  },
}));
