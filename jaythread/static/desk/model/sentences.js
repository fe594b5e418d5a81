// What a change would touch, in words: [quiet, now, quiet]. The one plain line in the picture's corner.

import { channelOf, follows } from "./follows.js";

const DRAWING = {
  note: () => ["Draw on the picture what the note is about, then say it at the top", "", ""],
  track: () => ["Click a spot with a corner or a texture: ", "a point", " is followed from there. Escape ends it"],
  "hand track": () => ["Click where the path begins: ", "a point", ", then drag it on other frames. Escape ends it"],
  brush: (name) => ["Paint over the hair or fuzz of ", name || "the shape", ": alpha is solved there. Escape ends it"],
  redraw: (name) => ["Draw along the edge: ", name || "the outline", " follows the stroke on this frame, all of it or the stretch between its ends. Escape ends it"],
  hints: () => ["Paint ", "within what is meant", ", with Shift outside of it. Enter takes what is found"],
  points: () => ["Click for a corner, drag for a curve; click the first point to close", "", ""],
};

/** @param {import("./store.js").Store} store @param {number[]} looked frames that somebody looked at @returns {string[]} */
export function touches({ document, selection, view }, looked = []) {
  const { drawing, step } = view;
  if (drawing) return DRAWING[drawing]?.(selection.shape?.name) || [`Drag out the ${drawing}, from corner to corner`, "", ""];
  if (!document.mayTrace) return ["You can look here; artists and leads trace", "", ""];
  if (step === "carry") {
    const track = selection.trackNow;
    if (track?.hows?.[0] === "bend") return ["Drawn by the picture: ", "correct the outline", " in the step Trace"];
    return track ? ["A drag of its point sets ", `the track ${track.name} by hand`, ` on frame ${view.frame}`] : ["Follow a point, or the plane of a shape: ", "see the panel", ""];
  }
  if (!selection.chosenShapes.length) {
    return selection.stack().length ? ["Nothing is chosen: click an outline, or its name", "", ""] : ["Nothing is traced yet: press ", "N", " and click around the subject"];
  }
  return ofShapes(document, selection, view, looked);
}

// The same where shapes are chosen.
function ofShapes(document, selection, { frame, scope, step }, looked) {
  const shapes = selection.chosenShapes;
  const whose = shapes.length > 1 ? `${shapes.length} shapes` : shapes[0].name;
  if (!selection.movable.length) return [`${whose} is locked: press `, "L", " to unlock"];
  if (scope !== "here") return ["A change here moves ", scope === "all" ? "ALL KEYS" : `ALL KEYS FROM ${frame} ON`, ` of ${whose} by the same; press A to change that`];
  if (step === "check" && !selection.editable.length) return ["Choose a shape to mend it: ", "a drag moves its points", ""];
  const rest = () => ` of ${whose} will be keyed; ${following(document, selection, frame, step, looked)}`;
  if (step === "place") return [`Frame ${frame}: `, "the placement", rest()];
  if (!selection.editable.length) return [`${whose} has no outline of its own: `, "Place", " moves its shapes as one"];
  const all = shapes.reduce((n, s) => n + s.curves.length, 0);
  const some = selection.pointCount;
  if (step === "soften" && selection.isFringe(shapes[shapes.length - 1])) return ["What is found in its band is set in the panel; ", "Trace", " moves its outline"];
  if (step === "soften") return [`Frame ${frame}: `, some ? `the soft edge at ${some} of ${all} points` : "the soft edge", rest()];
  return [`Frame ${frame}: `, some ? `${some} of ${all} points` : "the points you move", rest()];
}

// Which frames move with a change here, and how many of them somebody has looked at.
function following({ shot }, selection, frame, step, looked) {
  const spans = selection.movable.map((shape) => followsOf(shot, selection, shape, frame, step, looked));
  const [low, high] = [Math.min(...spans.map((s) => s[0])), Math.max(...spans.map((s) => s[1]))];
  if (low === high) return "no other frame follows";
  const seen = looked.filter((f) => f !== frame && f >= low && f <= high).length;
  const which = low === shot.first && high === shot.last ? "all frames follow" : `frames ${low} to ${high} follow`;
  return seen ? `${which}, ${seen} of them looked at` : which;
}

/** First and last frame that may move with a change of a shape on this frame.
 *  @returns {[number, number]} */
export function followsOf(shot, selection, shape, frame, step, looked) {
  const channel = channelOf(step, shape);
  const points = channel === "form" || channel === "reach" ? [...selection.pointsOf(shape.id)] : [];
  return follows(shot, shape[channel], frame, points, looked);
}
