// Acts that lay outlines and points by a line: a stroke, a mirror, a level, a neighbour. `Desk` has them as its own.

import { edit } from "../net/commands.js";

const SNAP = 16; // screen px within which a neighbour is looked for

/** @type {ThisType<any> & Record<string, any>} */
export const lines = {
  // A stroke replaces the chosen outline on this frame, or the stretch between its ends.
  redraw() {
    const { selection } = this.store;
    const shape = selection.editable.find((s) => s === selection.shape);
    if (!shape || shape.kind !== "closed") return this.tell("Choose the shape whose outline is to be redrawn.");
    this.startTracing("redraw");
  },

  redrawn(path, closed) {
    const { selection, view } = this.store;
    const { shape } = selection;
    view.set("drawing", false);
    if (shape) this.edits.push(edit.redraw({ shape: shape.id, frame: view.frame, path, closed }));
  },

  // command: of a shape and its chosen points.
  ofPoints(least, command) {
    const { selection, view } = this.store;
    const shapes = selection.editable.filter((shape) => selection.pointsOf(shape.id).size >= least);
    if (!shapes.length) return this.tell(`Choose ${["", "one point", "two points", "three points"][least]} at least first.`);
    this.edits.pushAll("brought points into line", shapes.map((shape) => command({ shape: shape.id, frame: view.frame, points: [...selection.pointsOf(shape.id)], ...view.scoping })));
  },

  // how: "level", "upright" or "even"
  align(how) {
    this.ofPoints(how === "even" ? 3 : 2, (which) => edit.align({ ...which, how }));
  },

  // The chosen points onto the nearest outline of another shape, or a point of it.
  snap() {
    const within = Math.min(500, Math.max(0.5, SNAP / this.stage.view.scale));
    this.ofPoints(1, (which) => edit.snap({ ...which, within }));
  },

  // angle: of the line, degrees: 90 changes left and right. whole: about the middle of the picture, with the shapes' ways.
  mirror(angle, whole = false) {
    const { document, selection } = this.store;
    const about = whole ? { about: document.shot.size.map((v) => v / 2) } : {};
    const commands = selection.editable.map((shape) => edit.mirror({ shape: shape.id, angle, ...about }));
    if (commands.length) this.edits.pushAll(`mirrored ${commands.length} shapes`, commands);
  },

  // About the line through the two chosen points, as they lie on this frame.
  mirrorAboutPoints() {
    const { pending, selection } = this.store;
    const places = selection.editable.flatMap((shape) => [...selection.pointsOf(shape.id)].map((i) => [...pending.outline(shape).subarray(i * 6, i * 6 + 2)]));
    if (places.length !== 2) return this.tell("Choose two points first: the line of the mirror goes through both.");
    const [[ax, ay], [bx, by]] = places;
    const angle = (Math.atan2(by - ay, bx - ax) * 180) / Math.PI;
    const commands = selection.editable.map((shape) => edit.mirror({ shape: shape.id, angle, about: [ax, ay] }));
    this.edits.pushAll(`mirrored ${commands.length} shapes`, commands);
  },
};
