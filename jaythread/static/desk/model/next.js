// The next sensible thing to do, in one sentence, for whoever is new here; it goes away for those who know.

const KNOWN = "jaythread-knows-the-way";

export const knows = () => localStorage.getItem(KNOWN) === "1";
export const keepKnown = (known) => localStorage.setItem(KNOWN, known ? "1" : "0");

/** @param {import("./store.js").Store} store @param {{state: any} | null} fits @returns {string} */
export function nextThing({ document, selection, view }, fits) {
  if (!document.mayTrace || view.drawing || view.playing) return "";
  const shapes = selection.stack().map((line) => document.shapes.get(line.shape));
  if (!shapes.length) return view.step === "trace" ? "Press Trace a new shape (N) and click around the subject; points may lie outside the picture." : "";
  const shape = selection.shape && selection.shape.kind === "closed" ? selection.shape : null;
  if (!shape) return "";
  const [first, last] = document.working;
  const keyed = [...new Set([...shape.form, ...shape.placement].map((k) => k.frame))].sort((a, b) => a - b);
  if (shape.carrier || keyed.length > 1) return later(document, shape, keyed, fits, first, last);
  if (view.frame === keyed[0]) return "Step on with the right arrow, or to the last frame with End, until the outline slips.";
  return "Drag the whole outline back in Place (P), or some points here: that makes a key on this frame.";
}

// Once a shape moves: between its keys, then its edge, then what is weak, then the files.
function later(document, shape, keyed, fits, first, last) {
  if (!shape.carrier && (keyed[0] > first || keyed.at(-1) < last) && !shape.live.length) {
    return `It is keyed from ${keyed[0]} to ${keyed.at(-1)}: go to ${keyed[0] > first ? "the first frame (Home)" : "the last frame (End)"} and bring it into place there.`;
  }
  if (keyed.length < 3 && !shape.carrier) return "Go half way between the keys and correct what slips there; then again half way.";
  if (shape.soft.every(([inner, outer, , , lens]) => !inner && !outer && !lens) && !shape.reaches) return "Give its edge the softness of the picture: Soften (S), Read softness from the plate.";
  if (!fits?.state?.measured) return "See which frames are weak: Check (Shift + S), and measure.";
  if (fits.state.weakest.length) return "Go to the weakest frame (Shift + Q) and mend it; then to the next.";
  return "Every frame is within a pixel: Deliver makes the files and proves them.";
}
