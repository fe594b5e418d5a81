// The parts of the page by the names under which the templates ask for them.

export { allKeys, keyScope } from "./all_keys.js";
export { carryStep } from "./carry.js";
export { drawnPart } from "./drawn.js";
export { checkStep } from "./check.js";
export { corner } from "./corner.js";
export { findingsPart } from "./findings.js";
export { history } from "./history.js";
export { keysDialog } from "./keys_dialog.js";
export { notes } from "./notes.js";
export { notices } from "./notices.js";
export { pickedKey } from "./picked_key.js";
export { placeStep } from "./place.js";
export { profile } from "./profile.js";
export { root as desk } from "./root.js";
export { shutter } from "./shutter.js";
export { softenStep } from "./soften.js";
export { stack } from "./stack.js";
export { taughtLine } from "./taught.js";
export { threads, timeBar } from "./time_bar.js";
export { traceStep } from "./trace.js";
export { views } from "./views.js";
