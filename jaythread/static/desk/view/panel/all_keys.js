// What can be done with all keys of the chosen shapes at once, and which keys a change is for.

import { post } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { part } from "./component.js";

const CHANNELS = ["form", "placement", "settings"];

export const keyScope = part(() => ({
  scope: "here", kind: "flowing",

  sync() {
    const { scope, keyKind } = this.desk.store.view;
    Object.assign(this, { scope, kind: keyKind });
  },
  setKind(event) {
    const kind = event.target.value;
    this.desk.store.view.set("keyKind", kind);
    return this.desk.attempt(() => post("/me/key-kind", { kind }));
  },
  setScope(event) {
    this.desk.store.view.set("scope", event.target.value);
  },
}));

export const allKeys = part(() => ({
  shiftBy: 1, span: [0, 0], spanTo: [0, 0], others: [], other: "", spanOf: "",

  sync() {
    const { document, selection } = this.desk.store;
    const { shape } = selection;
    this.others = [...document.shapes.values()].filter((s) => s !== shape && s.kind !== "group").map((s) => ({ id: s.id, name: s.name }));
    if (!this.others.some((s) => s.id === this.other)) this.other = this.others[0]?.id || "";
    if (!shape || this.spanOf === shape.id + shape.revision) return;
    this.spanOf = shape.id + shape.revision;
    const frames = CHANNELS.flatMap((c) => shape[c].map((k) => k.frame));
    this.span = [Math.min(...frames), Math.max(...frames)];
    this.spanTo = [...this.span];
  },

  // command: what is said of a shape and its channels.
  each(summary, command) {
    const shapes = this.desk.store.selection.movable;
    if (!shapes.length) return;
    const channels = (s) => (s.kind === "group" ? ["placement"] : CHANNELS);
    this.desk.edits.pushAll(summary, shapes.map((s) => command({ shape: s.id, channels: channels(s) })));
  },
  shift() {
    const by = Math.round(Number(this.shiftBy));
    if (by) this.each(`shifted keys by ${by}`, (keys) => edit.shiftKeys({ ...keys, by }));
  },
  whole(span) {
    return span.map((v) => Math.round(Number(v)));
  },
  stretch() {
    const [span, to] = [this.whole(this.span), this.whole(this.spanTo)];
    this.each("stretched keys", (keys) => edit.stretchKeys({ ...keys, span, to }));
  },
  reverse() {
    const span = this.whole(this.span);
    this.each("reversed keys", (keys) => edit.reverseKeys({ ...keys, span }));
  },
  only() {
    this.each("took away all keys but one", (keys) => edit.onlyKey({ ...keys, frame: this.frame }));
  },
  take(channel) {
    const { document, selection } = this.desk.store;
    const shapes = selection.editable.filter((s) => s.id !== this.other);
    if (this.other && shapes.length) this.desk.edits.pushAll(`gave the ${channel} of ${document.shapes.get(this.other).name}`, shapes.map((s) => edit.takeKeys({ shape: s.id, other: this.other, channels: [channel] })));
  },
  steady() {
    const { selection } = this.desk.store;
    const { shape } = selection;
    if (shape && selection.movable.includes(shape)) return this.desk.attempt(() => this.desk.preview.begin(edit.steady({ shape: shape.id })));
  },
  // The chosen points, in the outline's order, as one stretch; shown before it is taken.
  shareEdge() {
    const { selection, view } = this.desk.store;
    const { shape } = selection;
    const n = shape.curves.length;
    const some = selection.pointsOf(shape.id);
    const first = [...some].find((i) => !some.has((i + n - 1) % n));
    if (some.size < 2 || first === undefined || !this.other) return this.tell("Choose two or more neighbouring points first, but not the whole outline.");
    const points = [];
    for (let i = first; some.has(i); i = (i + 1) % n) points.push(i);
    return this.desk.attempt(() => this.desk.preview.begin(edit.shareEdge({ shape: shape.id, other: this.other, points, frame: view.frame })));
  },
}));
