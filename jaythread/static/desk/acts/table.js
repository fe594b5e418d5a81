// Everything the desk can do by a key, in one table: the keyboard, the list of keys and the buttons all read it.

import { endHere, startHere } from "../model/live.js";

// MODES: the register of views. keys: how the browser names them, with the modifiers in the order Ctrl, Alt, Shift; `own`: what this person has chosen instead, by id.
export function acts(desk, own, MODES) {
  const { store, stage, edits, player } = desk;
  const jump = (way) => {
    const frames = store.selection.keyFrames().filter((f) => (way < 0 ? f < store.view.frame : f > store.view.frame));
    if (!frames.length) return;
    const frame = way < 0 ? frames.at(-1) : frames[0];
    store.view.go(frame);
    desk.board.pickOn(frame); // what is taken away next is this key, not points
  };
  const nudge = (dx, dy) => desk.nudge(dx, dy);
  return [
    { id: "one-frame-back", group: "Time", keys: ["ArrowLeft"], says: "One frame back", run: () => store.view.go(store.view.frame - 1) },
    { id: "one-frame-on", group: "Time", keys: ["ArrowRight"], says: "One frame on", run: () => store.view.go(store.view.frame + 1) },
    { id: "previous-key-what-chosen", group: "Time", keys: ["Shift+ArrowLeft"], says: "To the previous key of what is chosen", run: () => jump(-1) },
    { id: "next-key-what-chosen", group: "Time", keys: ["Shift+ArrowRight"], says: "To the next key of what is chosen", run: () => jump(1) },
    { id: "back-stride", group: "Time", keys: [","], says: "Back by the stride", run: () => store.view.go(store.view.frame - store.view.stride) },
    { id: "on-stride", group: "Time", keys: ["."], says: "On by the stride", run: () => store.view.go(store.view.frame + store.view.stride) },
    { id: "mark-this-frame-compare", group: "Time", keys: ["M"], says: "Mark this frame to compare with (again: unmark)", run: () => store.view.set("marked", store.view.marked === store.view.frame ? null : store.view.frame) },
    { id: "first-frame", group: "Time", keys: ["Home"], says: "To the first frame of the working range; from there to the first of the shot", run: () => desk.toEnd(0) },
    { id: "last-frame", group: "Time", keys: ["End"], says: "To the last frame of the working range; from there to the last of the shot", run: () => desk.toEnd(1) },
    { id: "play", group: "Time", keys: ["G"], says: "Play, or stop", run: () => player.toggle(1) },
    { id: "play-backwards", group: "Time", keys: ["Shift+G"], says: "Play backwards, or stop", run: () => player.toggle(-1) },
    { id: "play-from-here", group: "Time", keys: ["H"], says: "Play from here, and come back here on stopping", run: () => player.toggle(1, true) },
    { id: "play-round-from-this", group: "Time", keys: ["B"], says: "Play round from this frame (again: from the start)", run: () => player.mark(0, store.view.frame) },
    { id: "play-round-up-this", group: "Time", keys: ["E"], says: "Play round up to this frame (again: to the end)", run: () => player.mark(1, store.view.frame) },
    { id: "range-begins-here", group: "Time", keys: ["("], says: "The working range begins on this frame (again: with the shot)", run: () => desk.rangeFrom(0) },
    { id: "range-ends-here", group: "Time", keys: [")"], says: "The working range ends on this frame (again: with the shot)", run: () => desk.rangeFrom(1) },
    { id: "trace", group: "Steps", keys: ["T"], says: "Trace: choose and move points", run: () => desk.setStep("trace") },
    { id: "place", group: "Steps", keys: ["P"], says: "Place: move, turn, size whole shapes", run: () => desk.setStep("place") },
    { id: "soften", group: "Steps", keys: ["S"], says: "Soften: the edge and the blur", run: () => desk.setStep("soften") },
    { id: "carry", group: "Steps", keys: ["Shift+P"], says: "Carry: follow the picture, and let shapes ride", run: () => desk.setStep("carry") },
    { id: "check", group: "Steps", keys: ["Shift+S"], says: "Check: which frames are weak, and where", run: () => desk.setStep("check") },
    { id: "to-weakest-frame", group: "Checking", keys: ["Shift+Q"], says: "To the weakest frame that was not looked at; again: to the next", run: () => desk.nextWeak() },
    { id: "next-finding", group: "Checking", keys: ["Shift+PageDown"], says: "To the next thing that looks wrong, the worst first", run: () => desk.nextFound() },
    { id: "next-note", group: "Checking", keys: ["Shift+PageUp"], says: "To the next open note", run: () => desk.nextNote() },
    { id: "looked-at", group: "Checking", keys: ["Shift+W"], says: "Mark this frame as looked at, until something changes there (again: not)", run: () => desk.lookedAt() },
    { id: "follow-a-point", group: "Tracks", keys: ["Shift+K"], says: "Follow a point: then click a spot in the picture", run: () => desk.layTrack() },
    { id: "follow-all-on", group: "Tracks", keys: [">"], says: "Follow the chosen track from here on to the end of the working range", run: () => desk.tracks.follow(2) },
    { id: "follow-all-back", group: "Tracks", keys: ["<"], says: "Follow the chosen track from here back to the beginning of the working range", run: () => desk.tracks.follow(-2) },
    { id: "hold-picture-still", group: "Tracks", keys: ["Shift+V"], says: "Hold the picture still on the chosen track, or let it go", run: () => desk.steadyView() },
    { id: "trace-new-shape", group: "Tracing", keys: ["N"], says: "Trace a new shape", run: () => desk.startTracing() },
    { id: "draw-loop-freehand", group: "Tracing", keys: ["Shift+L"], says: "Draw a loop freehand: few points are fitted to it", run: () => desk.startTracing("freehand") },
    { id: "redraw-outline", group: "Tracing", keys: ["Shift+Y"], says: "Redraw the chosen outline on this frame by a stroke along the edge", run: () => desk.redraw() },
    { id: "drag-dividing-edge", group: "Tracing", keys: ["Shift+E"], says: "Drag a dividing edge: it covers all to the right of it", run: () => desk.startTracing("dividing") },
    { id: "drag-out-an-ellipse", group: "Tracing", keys: ["Shift+N"], says: "Drag out an ellipse", run: () => desk.startTracing("ellipse") },
    { id: "drag-out-box", group: "Tracing", keys: ["Shift+M"], says: "Drag out a box", run: () => desk.startTracing("box") },
    { id: "open-chosen-outline-again", group: "Tracing", keys: ["Shift+C"], says: "Open the chosen outline again and carry on tracing it", run: () => desk.reopen() },
    { id: "close-outline-in-hand", group: "Tracing", keys: ["Enter"], says: "Close the outline in hand, or take what was found", when: () => ["points", "hints"].includes(store.view.drawing), run: () => (store.view.drawing === "hints" ? desk.ways.hints : desk.tracing).finish() },
    {
      id: "take-back-last-point", group: "Tracing", keys: ["Backspace"], says: "Take back the last point, or painted stroke, in hand",
      when: () => (store.view.drawing === "hints" ? desk.ways.hints.any : store.view.drawing && desk.tracing.any),
      run: () => (store.view.drawing === "hints" ? desk.ways.hints.back() : desk.tracing.takeBack()),
    },
    { id: "drop-what-in-hand", group: "Tracing", keys: ["Escape"], says: "Drop what is in hand, then choose nothing", run: () => desk.escape() },
    { id: "choose-all-points", group: "Points", keys: ["Ctrl+A"], says: "Choose all points", run: () => desk.chooseAll() },
    { id: "invert-choice-points", group: "Points", keys: ["I"], says: "Invert the choice of points", run: () => desk.invertChoice() },
    { id: "nudge-1-px-left", group: "Points", keys: ["Ctrl+ArrowLeft"], says: "Nudge by 1 px to the left", run: () => nudge(-1, 0) },
    { id: "nudge-1-px-right", group: "Points", keys: ["Ctrl+ArrowRight"], says: "Nudge by 1 px to the right", run: () => nudge(1, 0) },
    { id: "nudge-1-px-up", group: "Points", keys: ["Ctrl+ArrowUp"], says: "Nudge by 1 px up", run: () => nudge(0, -1) },
    { id: "nudge-1-px-down", group: "Points", keys: ["Ctrl+ArrowDown"], says: "Nudge by 1 px down", run: () => nudge(0, 1) },
    { id: "nudge-0.1-px-left", group: "Points", keys: ["Ctrl+Shift+ArrowLeft"], says: "Nudge by 0.1 px to the left", run: () => nudge(-0.1, 0) },
    { id: "nudge-0.1-px-right", group: "Points", keys: ["Ctrl+Shift+ArrowRight"], says: "Nudge by 0.1 px to the right", run: () => nudge(0.1, 0) },
    { id: "nudge-0.1-px-up", group: "Points", keys: ["Ctrl+Shift+ArrowUp"], says: "Nudge by 0.1 px up", run: () => nudge(0, -0.1) },
    { id: "nudge-0.1-px-down", group: "Points", keys: ["Ctrl+Shift+ArrowDown"], says: "Nudge by 0.1 px down", run: () => nudge(0, 0.1) },
    { id: "swap-corner-and-curve", group: "Points", keys: ["C"], says: "Swap corner and curve of the chosen points", run: () => desk.pointKind("swap") },
    { id: "draw-tangents-chosen-points", group: "Points", keys: ["X"], says: "Draw the tangents of the chosen points in: sharp corners", run: () => desk.pointKind("sharp") },
    { id: "make-tangents-even", group: "Points", keys: ["Shift+X"], says: "Make both tangents of the chosen points equally long: even curves", run: () => desk.pointKind("even") },
    { id: "next-point", group: "Points", keys: ["]"], says: "The next point along the outline", run: () => desk.pointOn(1) },
    { id: "previous-point", group: "Points", keys: ["["], says: "The previous point along the outline", run: () => desk.pointOn(-1) },
    { id: "add-neighbours", group: "Points", keys: ["Shift+A"], says: "Add the neighbours of the chosen points to the choice", run: () => desk.addNeighbours() },
    { id: "paint-fringe", group: "Soft edge", keys: ["Shift+B"], says: "Paint a fringe: hair or fuzz of the chosen shape, solved from the plate", run: () => { desk.setStep("soften"); desk.paintFringe(); } },
    { id: "choose-next-shapes-lie", group: "Points", keys: ["Z"], says: "Choose the next of the shapes that lie under the pointer", run: () => desk.nextUnder() },
    { id: "change-touches-key-here", group: "Keys and shapes", keys: ["A"], says: "A change touches the key here, all keys, or all from here on (round and round)", run: () => desk.nextScope() },
    { id: "picked-keys-earlier", group: "Keys and shapes", keys: ["Ctrl+,"], says: "Bring the picked keys one frame earlier", run: () => desk.bringKeys(-1) },
    { id: "picked-keys-later", group: "Keys and shapes", keys: ["Ctrl+."], says: "Bring the picked keys one frame later", run: () => desk.bringKeys(1) },
    { id: "pick-one-key-here", group: "Keys and shapes", keys: ["Shift+Z"], says: "Pick one of the keys on this frame; again: the next of them", run: () => desk.board.pickNext(store.view.frame) },
    { id: "copy-picked-key", group: "Keys and shapes", keys: ["Y"], says: "Copy the picked key", run: () => desk.copyKey() },
    { id: "put-copied-key-on", group: "Keys and shapes", keys: ["V"], says: "Put the copied key on this frame", run: () => desk.pasteKey() },
    { id: "duplicate-chosen-shape-with", group: "Keys and shapes", keys: ["Shift+D"], says: "Duplicate the chosen shape with its keys", run: () => desk.duplicate() },
    { id: "lock-unlock-chosen-shapes", group: "Keys and shapes", keys: ["L"], says: "Lock or unlock the chosen shapes", run: () => desk.lock() },
    { id: "chosen-shapes-move-as", group: "Keys and shapes", keys: ["Shift+T"], says: "The chosen shapes move as one from now on: a group", run: () => desk.group() },
    { id: "hide-show-outlines-chosen", group: "Keys and shapes", keys: ["Shift+O"], says: "Hide or show the outlines of the chosen shapes", run: () => desk.hideShapes() },
    { id: "show-chosen-shape-s", group: "Keys and shapes", keys: ["U"], says: "Show the chosen shape's outline alone, or all again", run: () => desk.showAlone() },
    { id: "key-form-and-placement", group: "Keys and shapes", keys: ["K"], says: "Key form and placement here without a change", run: () => desk.keyHere() },
    { id: "chosen-shape-one-line", group: "Keys and shapes", keys: ["Shift+ArrowUp"], says: "The chosen shape one line up in the stack", run: () => desk.reorder(1) },
    { id: "chosen-shape-one-line-2", group: "Keys and shapes", keys: ["Shift+ArrowDown"], says: "The chosen shape one line down in the stack", run: () => desk.reorder(-1) },
    { id: "chosen-shapes-start-be", group: "Keys and shapes", keys: ["Q"], says: "Make the chosen shapes live from this frame on", run: () => desk.live(startHere) },
    { id: "chosen-shapes-end-be", group: "Keys and shapes", keys: ["W"], says: "Make the chosen shapes live up to this frame", run: () => desk.live(endHere) },
    { id: "take-away-picked-key", group: "Keys and shapes", keys: ["Delete"], says: "Take away the picked keys, or the chosen points: what you chose last", run: () => desk.takeAway() },
    { id: "find-a-shape", group: "Keys and shapes", keys: ["/"], says: "Find a shape by its name", run: () => desk.findShape() },
    { id: "undo-your-last-change", group: "Keys and shapes", keys: ["Ctrl+Z"], says: "Undo your last change", run: () => edits.turn("undo") },
    { id: "redo-it", group: "Keys and shapes", keys: ["Ctrl+Shift+Z", "Ctrl+Y"], says: "Redo it", run: () => edits.turn("redo") },
    ...MODES.map((mode) => ({ id: mode.act, group: "Looking", keys: [mode.key], says: mode.says, run: () => desk.look(mode.id) })),
    { id: "hold-wipe", group: "Looking", keys: ["\\"], says: "Hold to see the plate left of the pointer and the view right of it", run: () => stage.wipe(true), up: () => stage.wipe(false) },
    { id: "hold-without-soft-edge", group: "Looking", keys: [";"], says: "Hold to see the chosen shapes (or points) without their soft edge", run: () => desk.bare(true), up: () => desk.bare(false) },
    { id: "show-hide-outlines-keys", group: "Looking", keys: ["J"], says: "Show or hide the outlines of the keys before and after", run: () => store.view.set("neighbours", store.view.neighbours ? false : "keys") },
    { id: "show-points-chosen-shapes", group: "Looking", keys: ["Shift+J"], says: "Show the points of the chosen shapes without their threads", run: () => store.view.set("pointsOnly", !store.view.pointsOnly) },
    { id: "loupe-beside-pointer-while", group: "Looking", keys: ["Shift+I"], says: "A loupe beside the pointer while something is dragged, and the figures under it; or none", run: () => store.view.set("loupe", !store.view.loupe) },
    { id: "chosen-points-shapes-as", group: "Looking", keys: ["R"], says: "The chosen points or shapes as large as they fit", run: () => desk.zoomToChoice() },
    { id: "back-where-you-looked", group: "Looking", keys: ["Shift+R"], says: "Back to where you looked before", run: () => desk.viewBack() },
    { id: "hold-see-marked-frame", group: "Looking", keys: ["D"], says: "Hold to see the marked frame, or the one before, in place of this one", run: () => desk.flip(true), up: () => desk.flip(false) },
    { id: "hide-show-outlines", group: "Looking", keys: ["O"], says: "Hide or show the outlines", run: () => store.view.set("hidden", !store.view.hidden) },
    { id: "whole-picture-with-its", group: "Looking", keys: ["F"], says: "The whole picture with its margin", run: () => stage.fit() },
    { id: "picture-and-screen-pixel", group: "Looking", keys: ["Shift+F"], says: "Picture and screen pixel for pixel (100 %)", run: () => stage.exact() },
    { id: "hold-pan-dragging", group: "Looking", keys: [" "], says: "Hold to pan by dragging (or use the middle button); the wheel zooms at the pointer", fixed: true, run: () => {} },
    { id: "picture-alone", group: "Looking", keys: ["Shift+U"], says: "The picture alone: board and panel put away, or back", run: () => desk.room.alone() },
    { id: "second-window", group: "Looking", keys: ["Shift+H"], says: "A second window with the picture alone, in step with this one: for another screen", run: () => desk.secondWindow() },
    { id: "what-comes-next", group: "Looking", keys: ["Ctrl+?"], says: "Say what comes next, or do not", run: () => desk.tellNext() },
    { id: "this-list-keys", group: "Looking", keys: ["?"], says: "This list of keys", run: () => desk.showKeys() },
  ].map((act) => ({ when: () => true, ...act, ours: act.keys, keys: own[act.id] || act.keys }));
}

// Why an act cannot have a key, or nothing when it can. Common keys of the browser stay the browser's.
export function whyNot(table, id, key) {
  if (/^Ctrl\+(Shift\+)?[TWNRLFPSJHDQCXV0+-]$|^F\d+$|^Tab$|^ $|^Shift\+Tab$|^Alt\+/.test(key)) return `${nameOf(key)} is a key of the browser's, or of the page's. Choose another.`;
  const taken = table.find((act) => act.id !== id && act.keys.includes(key));
  return taken ? `${nameOf(key)} is taken: ${taken.says}. Give that another key first.` : "";
}

const NAMES = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down", " ": "space bar" };

export function nameOf(key) {
  return key
    .split(/\+(?=.)/)
    .map((part) => NAMES[part] || part)
    .join(" + ");
}

// A key by what it means, whatever the layout: a glyph is itself, with whichever of Shift and AltGr it takes to type it.
export function pressed(e) {
  const key = e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const glyph = key.length === 1 && key !== " " && key.toLowerCase() === key;
  const third = glyph && (e.getModifierState?.("AltGraph") || (e.ctrlKey && e.altKey)); // AltGr, which some systems send as Ctrl and Alt
  const [ctrl, alt] = third ? [false, false] : [e.ctrlKey || e.metaKey, e.altKey];
  return `${ctrl ? "Ctrl+" : ""}${alt ? "Alt+" : ""}${e.shiftKey && !glyph ? "Shift+" : ""}${key}`;
}

const typing = (el) => el?.matches?.("input:not([type=range]):not([type=checkbox]), textarea");

// The field whose text is being edited: something was typed into it since it has the focus.
/** @type {EventTarget | null} */
let edited = null;

// While its text is being edited, nothing else writes into a field: what happens beside it (a frame that arrives, somebody's edit) would take
// away what was typed. What was to be written comes after, unless the typed text was taken.
/** @param {EventTarget | null} field */
function edit(field) {
  if (!(field instanceof HTMLInputElement) || field === edited || !field.hasAttribute("x-bind:value") || !typing(field)) return void (edited = field);
  const { get, set } = /** @type {Required<PropertyDescriptor>} */ (Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value"));
  /** @type {string | null} */
  let meanwhile = null;
  edited = field;
  Object.defineProperty(field, "value", { configurable: true, get, set: (text) => (meanwhile = text) });
  const done = ({ type }) => {
    delete /** @type {Partial<HTMLInputElement>} */ (field).value;
    if (type === "focusout" && meanwhile !== null) set.call(field, meanwhile);
    for (const over of ["focusout", "change"]) field.removeEventListener(over, done, true);
  };
  for (const over of ["focusout", "change"]) field.addEventListener(over, done, true);
}

// Whether what has the focus keeps a key to itself: a name or a figure that is typed, an edge that arrows move.
function keepsForItself(here, name) {
  if (/^Arrow/.test(name) && here?.matches?.("[role=separator]")) return true;
  if (!typing(here)) return false;
  // a field of figures has no use for letters and steps: they keep their meaning there
  const steps = /^(Shift\+)?(ArrowLeft|ArrowRight|Home|End|[A-DF-Z?])$/.test(name);
  if (name === "Escape" || (name === "Enter" && here.matches("input") && !here.form)) here.blur(); // in a form Enter sends it
  const words = here.matches("[type=text], [type=search], textarea");
  if (words && here !== edited && /Arrow(Left|Right)|Home|End/.test(name)) return false; // nothing is typed there yet: steps are steps
  return !steps || words;
}

// A figure that is being typed is taken before a key does something else; after a step in time it is still in hand.
function taking(here, name, run) {
  here.blur();
  run();
  if (/Arrow|Home|End/.test(name) && here.isConnected && here.offsetParent) here.focus();
}

// The keyboard: steps work wherever the focus is; only a name or a figure that is being typed keeps its own keys.
export function listen(desk, table) {
  const actFor = (key) => table.find((act) => act.keys.includes(key));
  addEventListener(
    "keydown",
    (e) => {
      if (document.querySelector("dialog[open]")) return;
      const name = pressed(e);
      const here = document.activeElement;
      if (keepsForItself(here, name)) return;
      if (name === " ") {
        if (here?.matches?.("button, a, input")) return;
        desk.pointer.hold(true);
        e.preventDefault();
        return;
      }
      const act = actFor(name);
      if (!act || !act.when()) return;
      if (name === "Enter" && here?.matches?.("button, a")) return;
      e.preventDefault();
      e.stopPropagation();
      if (typing(here)) taking(here, name, act.run);
      else act.run();
    },
    true,
  );
  addEventListener("input", (e) => edit(e.target), true);
  for (const over of ["focusout", "change"]) addEventListener(over, () => (edited = null), true);
  addEventListener("keyup", (e) => {
    if (e.key === " ") desk.pointer.hold(false);
    actFor(pressed(e))?.up?.();
  });
  addEventListener("blur", () => desk.pointer.hold(false));
}
