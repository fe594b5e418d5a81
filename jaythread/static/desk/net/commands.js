// What an edit may say, one function a command, with types.
// Written by ops/command_builders.py from the register of commands; do not change it by hand.

/** A group at rest, of shapes that move as one from now on; they stay where they are.
 *  @param {{shape: string, name: string, members: string[], frame: number, colour?: number}} said */
export const newGroup = (said) => ({ do: /** @type {const} */ ("new group"), ...said });

/** A shape goes over to another group, or to none; it stays where it is.
 *  @param {{shape: string, group?: string | null}} said */
export const ride = (said) => ({ do: /** @type {const} */ ("ride"), ...said });

/** A key that changes nothing.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", frame: number}} said */
export const keyHere = (said) => ({ do: /** @type {const} */ ("key here"), ...said });

/** A key brought to another frame.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", frame: number, to: number}} said */
export const moveKey = (said) => ({ do: /** @type {const} */ ("move key"), ...said });

/** How the stretch after a key runs.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", frame: number, kind: "hold" | "straight" | "flowing"}} said */
export const keyKind = (said) => ({ do: /** @type {const} */ ("key kind"), ...said });

/** Take a key away.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", frame: number}} said */
export const dropKey = (said) => ({ do: /** @type {const} */ ("drop key"), ...said });

/** What a key holds, keyed on another frame too.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", frame: number, to: number}} said */
export const copyKey = (said) => ({ do: /** @type {const} */ ("copy key"), ...said });

/** All keys of some channels moved by so many frames.
 *  @param {{shape: string, channels: ("form" | "placement" | "settings" | "reach")[], by: number}} said */
export const shiftKeys = (said) => ({ do: /** @type {const} */ ("shift keys"), ...said });

/** The keys within a span brought to another span.
 *  @param {{shape: string, channels: ("form" | "placement" | "settings" | "reach")[], span: [number, number], to: [number, number]}} said */
export const stretchKeys = (said) => ({ do: /** @type {const} */ ("stretch keys"), ...said });

/** Some keys of a channel brought to other frames: from which to which.
 *  @param {{shape: string, channel: "form" | "placement" | "settings" | "reach", moves: Record<string, number>}} said */
export const retimeKeys = (said) => ({ do: /** @type {const} */ ("retime keys"), ...said });

/** The keys within a span run backwards in it.
 *  @param {{shape: string, channels: ("form" | "placement" | "settings" | "reach")[], span: [number, number]}} said */
export const reverseKeys = (said) => ({ do: /** @type {const} */ ("reverse keys"), ...said });

/** One key here; all others of these channels taken away.
 *  @param {{shape: string, channels: ("form" | "placement" | "settings" | "reach")[], frame: number}} said */
export const onlyKey = (said) => ({ do: /** @type {const} */ ("only key"), ...said });

/** The keys of another shape in place of one's own.
 *  @param {{shape: string, channels: ("form" | "placement" | "settings" | "reach")[], other: string}} said */
export const takeKeys = (said) => ({ do: /** @type {const} */ ("take keys"), ...said });

/** A stretch of points becomes that of a neighbour's outline which runs beside it on this frame, points and keys.
 *  @param {{shape: string, other: string, points: number[], frame: number}} said */
export const shareEdge = (said) => ({ do: /** @type {const} */ ("share edge"), ...said });

/** A matte with an empty stack.
 *  @param {{matte: string, name: string}} said */
export const newMatte = (said) => ({ do: /** @type {const} */ ("new matte"), ...said });

/** A matte with the same stack as another; both use the same shapes.
 *  @param {{matte: string, of: string, name: string}} said */
export const copyMatte = (said) => ({ do: /** @type {const} */ ("copy matte"), ...said });

/** The whole matte.
 *  @param {{matte: string, name?: string | null, inverted?: boolean | null}} said */
export const changeMatte = (said) => ({ do: /** @type {const} */ ("matte"), ...said });

/** Key the edge shift of a whole matte (px); without a number its key on that frame is taken away.
 *  @param {{matte: string, frame: number, shift?: number | null}} said */
export const shiftMatte = (said) => ({ do: /** @type {const} */ ("shift matte"), ...said });

/** A matte with its stack; its shapes stay.
 *  @param {{matte: string}} said */
export const removeMatte = (said) => ({ do: /** @type {const} */ ("remove matte"), ...said });

/** The shot's shutter: angle and phase in degrees (no phase: centred).
 *  @param {{angle: number, phase?: number | null}} said */
export const changeShutter = (said) => ({ do: /** @type {const} */ ("shutter"), ...said });

/** Key the form of some points: index to six numbers, plate pixels.
 *  @param {{frame: number, scope?: "here" | "all" | "on", shape: string, points: Record<string, number[]>}} said */
export const movePoints = (said) => ({ do: /** @type {const} */ ("form"), ...said });

/** Key the placement: moved on, turned on, sized (about a place in the picture) from where it is on that frame.
 *  @param {{frame: number, scope?: "here" | "all" | "on", shape: string, move?: [number, number], turn?: number, size?: number, about?: [number, number] | null}} said */
export const place = (said) => ({ do: /** @type {const} */ ("place"), ...said });

/** Key soft-edge settings.
 *  @param {{frame: number, scope?: "here" | "all" | "on", shape: string, inner?: number | null, outer?: number | null, shift?: number | null, opacity?: number | null}} said */
export const soften = (said) => ({ do: /** @type {const} */ ("soften"), ...said });

/** Key the reach of single points: index to inner and outer, None for what stays. The first such change gives each point its own.
 *  @param {{frame: number, scope?: "here" | "all" | "on", shape: string, points: Record<string, [number | null, number | null]>}} said */
export const reach = (said) => ({ do: /** @type {const} */ ("reach"), ...said });

/** The same reach at every point again.
 *  @param {{shape: string}} said */
export const oneReach = (said) => ({ do: /** @type {const} */ ("one reach"), ...said });

/** A point on a segment, on every key, with no outline moved.
 *  @param {{shape: string, segment: number, t: number}} said */
export const addPoint = (said) => ({ do: /** @type {const} */ ("add point"), ...said });

/** An outline that was reopened and carried on: its points now, on its only form key.
 *  @param {{shape: string, frame: number, points: number[][], curves: boolean[]}} said */
export const retrace = (said) => ({ do: /** @type {const} */ ("retrace"), ...said });

/** Points taken away on every key; what they held is fitted by their neighbours.
 *  @param {{shape: string, points: number[]}} said */
export const removePoints = (said) => ({ do: /** @type {const} */ ("remove points"), ...said });

/** Corner, sharp corner, curve, or even curve, on every key.
 *  @param {{shape: string, points: number[], to: "curve" | "corner" | "sharp" | "even"}} said */
export const pointKind = (said) => ({ do: /** @type {const} */ ("point kind"), ...said });

/** Move, turn and size that hide in form keys, out into placement keys.
 *  @param {{shape: string}} said */
export const steady = (said) => ({ do: /** @type {const} */ ("steady"), ...said });

/** A new shape, added on top of a matte's stack.
 *  @param {{shape: string, entry: string, matte: string, name: string, frame: number, colour?: number, points: number[][], curves: boolean[], kind?: "closed" | "dividing", mode?: string}} said */
export const trace = (said) => ({ do: /** @type {const} */ ("trace"), ...said });

/** A new shape from a loop drawn freehand: the core fits few points to it. tolerance: px.
 *  @param {{shape: string, entry: string, matte: string, name: string, frame: number, colour?: number, path: [number, number][], tolerance?: number, mode?: string}} said */
export const freehand = (said) => ({ do: /** @type {const} */ ("freehand"), ...said });

/** A band in which alpha is solved from the plate, right above the line of a shape in a stack. path: where a brush of that radius (px) was led; without one the band is all that the shape's soft edge covers.
 *  @param {{shape: string, entry: string, matte: string, name: string, frame: number, colour?: number, of: string, path?: [number, number][] | null, radius?: number, tolerance?: number}} said */
export const fringe = (said) => ({ do: /** @type {const} */ ("fringe"), ...said });

/** A shape again, with all its keys, on top of the same matte's stack.
 *  @param {{shape: string, twin: string, entry: string, matte: string}} said */
export const duplicate = (said) => ({ do: /** @type {const} */ ("duplicate"), ...said });

/** Name, colour, profile, blur: not keyed.
 *  @param {{shape: string, name?: string | null, colour?: number | null, profile?: string | null, blur?: boolean | null}} said */
export const appearance = (said) => ({ do: /** @type {const} */ ("appearance"), ...said });

/** The live ranges of a shape.
 *  @param {{shape: string, ranges: [number, number][]}} said */
export const live = (said) => ({ do: /** @type {const} */ ("live"), ...said });

/** Take a shape away, with its keys and its lines in all stacks. A group's shapes stay, and stay where they are.
 *  @param {{shape: string}} said */
export const remove = (said) => ({ do: /** @type {const} */ ("remove"), ...said });

/** Whether a shape refuses changes.
 *  @param {{shape: string, locked: boolean}} said */
export const lock = (said) => ({ do: /** @type {const} */ ("lock"), ...said });

/** A line of the stack.
 *  @param {{entry: string, mode?: string | null, inverted?: boolean | null, opacity?: number | null, order?: number | null}} said */
export const changeEntry = (said) => ({ do: /** @type {const} */ ("entry"), ...said });

/** A shape that is there already, on top of another matte's stack (or once more of its own).
 *  @param {{entry: string, matte: string, shape: string, mode?: string}} said */
export const addLine = (said) => ({ do: /** @type {const} */ ("add line"), ...said });

/** A line of a stack taken away; the shape stays in the shot.
 *  @param {{entry: string}} said */
export const dropLine = (said) => ({ do: /** @type {const} */ ("drop line"), ...said });

/** A track begun on a frame: at places in the picture, or (shape) at the corners of what a shape covers, whose picture is then followed. half: px to either side of a point that make its patch; 0 for one that is laid by hand alone. search: px that it may leap in a frame.
 *  @param {{track: string, name: string, frame: number, points?: [number, number][], shape?: string | null, holds_out?: string[], half?: number, model?: "move" | "similar" | "affine", search?: number}} said */
export const newTrack = (said) => ({ do: /** @type {const} */ ("new track"), ...said });

/** Points of a track set by hand on a frame.
 *  @param {{track: string, frame: number, points: Record<string, [number, number]>}} said */
export const correctTrack = (said) => ({ do: /** @type {const} */ ("correct track"), ...said });

/** A track's name.
 *  @param {{track: string, name: string}} said */
export const renameTrack = (said) => ({ do: /** @type {const} */ ("rename track"), ...said });

/** What a track looks for: from which frame it is taken, how large it is, how it may change, and what stands in front of it.
 *  @param {{track: string, frame?: number | null, half?: number | null, model?: "move" | "similar" | "affine" | "perspective" | null, search?: number | null, holds_out?: string[] | null}} said */
export const trackPatch = (said) => ({ do: /** @type {const} */ ("track patch"), ...said });

/** A track that nothing rides on taken away.
 *  @param {{track: string}} said */
export const removeTrack = (said) => ({ do: /** @type {const} */ ("remove track"), ...said });

/** Two to four points as one track, which turns, sizes and shears.
 *  @param {{track: string, name: string, tracks: string[], frame: number}} said */
export const joinTracks = (said) => ({ do: /** @type {const} */ ("join tracks"), ...said });

/** Trembling taken out of a track, over so many frames to either side.
 *  @param {{track: string, frames: number}} said */
export const smoothTrack = (said) => ({ do: /** @type {const} */ ("smooth track"), ...said });

/** What was followed outside of some frames taken away.
 *  @param {{track: string, first: number, last: number}} said */
export const cutTrack = (said) => ({ do: /** @type {const} */ ("cut track"), ...said });

/** A shape, or group, rides on a track from now on: the picture stays as it is on the frame. Without a track on none; 'group': on what its group rides on.
 *  @param {{shape: string, frame: number, track?: string | null, how?: "move" | "similar" | "affine" | "perspective" | null}} said */
export const carry = (said) => ({ do: /** @type {const} */ ("carry"), ...said });

/** What carries a shape into its own keys, on each frame of the shot, or as few as keep it within a tolerance (px).
 *  @param {{shape: string, first: number, last: number, tolerance?: number | null}} said */
export const bake = (said) => ({ do: /** @type {const} */ ("bake"), ...said });

/** As few keys as keep a shape within a tolerance (px) of where it is, on every frame.
 *  @param {{shape: string, tolerance?: number}} said */
export const thinKeys = (said) => ({ do: /** @type {const} */ ("thin keys"), ...said });

/** Several commands that are one act: done, and taken back, at once.
 *  @param {{summary: string, commands: (Record<string, any>)[]}} said */
export const together = (said) => ({ do: /** @type {const} */ ("together"), ...said });
