// The register of views: how the picture may be looked at. A view is one file here and one line in this list.
//
// id: as the page keeps it. act: its name in a person's own keys. label: on its button; hint: the button's title. key, says: in the list of
// keys. needsMatte: whether the matte is asked for. hidesPlate: whether it paints the plate's place itself. paint(stage, pen, matte): draws it
// above the plate; matte is a canvas whose alpha is the matte, or null while that is on its way.

import { cutOut } from "./cut_out.js";
import { edge } from "./edge.js";
import { inUse } from "./in_use.js";
import { levels } from "./levels.js";
import { matte } from "./matte.js";
import { plate } from "./plate.js";
import { tint } from "./tint.js";
import { together } from "./together.js";

export const MODES = [plate, matte, tint, cutOut, levels, edge, together, inUse];

/** @param {string} id */
export const modeOf = (id) => MODES.find((mode) => mode.id === id) || plate;
