// Types of what the server sends, for the editor and the checker. The api's own document says the same.

/**
 * @typedef {{frame: number, kind: number, parts: number[], full: boolean, settled: boolean}} Key
 * @typedef {{id: string, name: string, kind: string, group: string | null, carrier: {track: string | null, how: string, byGroup: boolean} | null,
 *   locked: boolean, revision: number, colour: number, profile: string, blur: boolean, lensKind: string, pivot: number[], curves: boolean[], live: number[][],
 *   form: Key[], placement: Key[], settings: Key[], reach: Key[], reaches: any[] | null, soft: number[][], placed: number[][],
 *   outlines: Float32Array | null, opening: Float32Array | null, constant?: Float32Array, made?: number}} Shape
 * @typedef {{id: string, name: string, revision: number, home: number, frames: number[], confidence: number[], manual: number[],
 *   parts: number, hows: string[], patch: any, next: number[], path: Float32Array}} Track
 * @typedef {{id: string, shape: string, order: number, mode: string, inverted: boolean, opacity: number, within: string | null}} Line
 * @typedef {{id: string, name: string, inverted: boolean, shift: number[][], shifts: number[], lens: number[][], lenses: number[], lensKind: string, sentence: string, stack: Line[]}} Matte
 * @typedef {{id: number, kind: string, subject: string, state: string, done: number, total: number, percent: number, left: string, message: string,
 *   partial: any, settings: any}} Job
 * @typedef {{id: number, frame: number, x: number | null, y: number | null, text: string, by: string, package: string, state: string, reason: string, settled_by: string, version: string, pasted: boolean,
 *   last: number | null, strokes: number[][][], to: string | null, answers: {by: string, text: string}[]}} Note
 * @typedef {{id: number, name: string, first: number, last: number, size: number[], rate: number, rateText: string, pixelAspect: number}} Shot
 * @typedef {{id: number, version: string, name: string, first: number, last: number}} Clip
 * @typedef {{shot: Shot, plate: {id: number, state: string, version: string, missing: number[], cuts: number[]} | null, clips: Clip[],
 *   shots: {id: number, name: string}[], brought: {id: number, name: string}[], modes: {key: string, offer: string, outside: string, solves: boolean}[], mayTrace: boolean, people: string[],
 *   keys: Record<string, string[]>, shapes: any[], tracks: any[], mattes: Matte[], revision: number,
 *   shutter: {angle: number, phase: number | null}, undo: string | null, redo: string | null}} DeskData
 */

export {};
