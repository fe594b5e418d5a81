// What a change would touch, in words: [quiet, now, quiet]. The one plain line in the picture's corner.

const DRAWING = {
  track: () => ["Click a spot with a corner or a texture: ", "a point", " is followed from there. Escape ends it"],
  "hand track": () => ["Click where the path begins: ", "a point", ", then drag it on other frames. Escape ends it"],
  brush: (name) => ["Paint over the hair or fuzz of ", name || "the shape", ": alpha is solved there. Escape ends it"],
  points: () => ["Click for a corner, drag for a curve; click the first point to close", "", ""],
};

/** @param {import("./store.js").Store} store @returns {string[]} */
export function touches({ document, selection, view }) {
  const { drawing, step } = view;
  if (drawing) return DRAWING[drawing]?.(selection.shape?.name) || [`Drag out the ${drawing}, from corner to corner`, "", ""];
  if (!document.mayTrace) return ["You can look here; artists and leads trace", "", ""];
  if (step === "carry") {
    const track = selection.trackNow;
    return track ? ["A drag of its point sets ", `the track ${track.name} by hand`, ` on frame ${view.frame}`] : ["Follow a point, or the plane of a shape: ", "see the panel", ""];
  }
  if (!selection.chosenShapes.length) {
    return selection.stack().length ? ["Nothing is chosen: click an outline, or its name", "", ""] : ["Nothing is traced yet: press ", "N", " and click around the subject"];
  }
  return ofShapes(selection, view);
}

// The same where shapes are chosen.
function ofShapes(selection, { frame, scope, step }) {
  const shapes = selection.chosenShapes;
  const whose = shapes.length > 1 ? `${shapes.length} shapes` : shapes[0].name;
  const where = ` of ${whose} on frame ${frame}, nothing else`;
  if (!selection.movable.length) return [`${whose} is locked: press `, "L", " to unlock"];
  if (scope !== "here") return ["A change here moves ", scope === "all" ? "ALL KEYS" : `ALL KEYS FROM ${frame} ON`, ` of ${whose} by the same; press A to change that`];
  if (step === "check" && !selection.editable.length) return ["Choose a shape to mend it: ", "a drag moves its points", ""];
  if (step === "place") return ["A drag here keys ", "the placement", where];
  if (!selection.editable.length) return [`${whose} has no outline of its own: `, "Place", " moves its shapes as one"];
  const all = shapes.reduce((n, s) => n + s.curves.length, 0);
  const some = selection.pointCount;
  if (step === "soften" && selection.isFringe(shapes[shapes.length - 1])) return ["How a fringe is solved is set in the panel; ", "Trace", " moves its outline"];
  if (step === "soften") return ["A drag here keys ", some ? `the soft edge at ${some} of ${all} points` : "the soft edge", where];
  return ["A change here keys ", some ? `${some} of ${all} points` : "the points you move", where];
}
