// The document: the shot, its shapes with their outlines on every frame, mattes and tracks, as the server has told them.

import { Slice } from "./slice.js";

/** @typedef {import("./types.js").Shape} Shape */
/** @typedef {import("./types.js").Track} Track */
/** @typedef {import("./types.js").Line} Line */
/** @typedef {import("./types.js").Matte} Matte */

/** @param {string} text */
export function decodeFloats(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Float32Array(bytes.buffer);
}

export class Document extends Slice {
  /** @type {Map<string, Shape>} */
  #shapes = new Map();
  /** @type {Map<string, Track>} */
  #tracks = new Map();
  /** @type {Matte[]} */
  #mattes = [];
  /** @type {{id: string, name: string, revision: number, lines: any[], sentences: string[]}[]} */
  #tryouts = [];
  #revision = 0;
  /** @type {{angle: number, phase: number | null}} */
  /** @type {[number, number]} */
  #working = [1, 1];
  #shutter = { angle: 180, phase: null };
  /** @type {string | null} */
  #undo = null;
  /** @type {string | null} */
  #redo = null;

  /** @param {import("./types.js").DeskData} data */
  constructor(data) {
    super();
    this.shot = Object.freeze(data.shot);
    /** @type {string | undefined} */
    this.numbers = undefined; // how the picture is understood: when that changes, the page is opened anew
    this.plate = data.plate;
    this.mayTrace = data.mayTrace;
    this.people = Object.freeze(data.people || []); // who is in the production
    this.shots = Object.freeze(data.shots || []); // other shots of the production
    this.brought = Object.freeze(data.brought || []); // mattes from elsewhere that may be laid into a stack
    this.clips = Object.freeze(data.clips || []); // other plates of the production to lay the cut-out on
    this.modes = Object.freeze(data.modes || []); // the ways in which a line of a stack combines
    this.take(data);
  }

  get shapes() {
    return this.#shapes;
  }
  get tracks() {
    return this.#tracks;
  }
  get mattes() {
    return this.#mattes;
  }
  // Tryouts of the shot, with their lines as the tryout document has them.
  get tryouts() {
    return this.#tryouts;
  }
  get revision() {
    return this.#revision;
  }
  get shutter() {
    return this.#shutter;
  }
  // First and last frame of the working range.
  get working() {
    return this.#working;
  }
  get undo() {
    return this.#undo;
  }
  get redo() {
    return this.#redo;
  }

  // Take in what the server says. Says which shapes are new, and which are gone, before it says that something has changed.
  /** @param {any} data */
  take(data) {
    this.#takeHead(data);
    if (data.tracks) this.#tracks = new Map(data.tracks.map((track) => [track.id, { ...track, path: decodeFloats(track.path) }]));
    for (const shape of data.shapes) {
      const had = this.#shapes.get(shape.id);
      if (shape.outlines) shape.outlines = decodeFloats(shape.outlines);
      else {
        shape.outlines = had?.outlines && had.revision === shape.revision ? had.outlines : null;
        shape.opening = decodeFloats(shape.opening);
      }
      this.#shapes.set(shape.id, shape);
    }
    for (const id of data.gone || []) this.#shapes.delete(id);
    this.say("taken", { shapes: data.shapes.map((shape) => shape.id), gone: data.gone || [] });
    this.say("changed");
  }

  // What may change with every edit beside shapes; of what did not change nothing is said.
  #takeHead(data) {
    this.#revision = data.revision ?? this.#revision;
    this.#shutter = data.shutter ?? this.#shutter;
    if (data.numbers !== undefined && this.numbers !== undefined && data.numbers !== this.numbers) this.say("renumbered");
    if ("numbers" in data) this.numbers = data.numbers;
    if ("working" in data) this.#working = data.working;
    if ("mattes" in data) this.#mattes = data.mattes;
    this.#undo = data.undo === undefined ? this.#undo : data.undo;
    this.#redo = data.redo === undefined ? this.#redo : data.redo;
    this.#tryouts = data.tryouts || this.#tryouts;
  }

  // The whole state in place of what was known: what it does not have is gone.
  takeAll(data) {
    const there = new Set(data.shapes.map((shape) => shape.id));
    this.take({ ...data, gone: [...this.#shapes.keys()].filter((id) => !there.has(id)) });
  }

  get incomplete() {
    return [...this.#shapes.values()].some((s) => !s.outlines && !s.constant);
  }

  // The outlines of every frame, where the shot was too long to open with them: see the server's `outlines`.
  /** @param {ArrayBuffer} buffer */
  fill(buffer) {
    const bytes = new Uint8Array(buffer);
    const end = bytes.indexOf(10) + 1;
    const parts = JSON.parse(new TextDecoder().decode(bytes.subarray(0, end)));
    let at = end;
    for (const [id, revision, count] of parts) {
      const shape = this.#shapes.get(id);
      if (shape && !shape.outlines && shape.revision === revision) shape.outlines = new Float32Array(buffer, at, count);
      at += count * 4;
    }
    this.say("changed");
  }

  // A shape that was traced just now, shown until the server knows it.
  provisional(command) {
    const points = new Float32Array(command.points.flat());
    const rest = {
      placed: [[0, 0, 0, 1, points[0], points[1]]], kind: "closed", group: null, carrier: null, locked: false, reach: [], reaches: null,
      soft: [[0, 0, 0, 1, 0]], placement: [], settings: [], live: [], outlines: null, opening: null,
    };
    const key = { frame: command.frame, kind: 2, parts: [], full: true, settled: false };
    this.#shapes.set(command.shape, {
      id: command.shape, name: command.name, colour: command.colour, curves: command.curves, profile: "straight", blur: true, lensKind: "bell", revision: 0,
      pivot: [0, 0], form: [key], constant: points, made: command.frame, ...rest,
    });
    const line = { id: command.entry, shape: command.shape, order: 0, mode: command.mode, inverted: false, opacity: 1, within: null };
    this.matte(command.matte)?.stack.push(line);
  }

  // The working range as it was set just now.
  /** @param {[number, number]} range */
  provisionalRange(range) {
    this.#working = range;
    this.say("changed");
  }

  // A matte that was asked for just now.
  provisionalMatte(id, name) {
    this.#mattes.push({ id, name, inverted: false, sentence: "", stack: [], shift: [], shifts: [], lens: [], lenses: [], lensKind: "bell" });
  }

  // An outline that was carried on, shown until the server answers.
  provisionalOutline(id, frame, points, curves) {
    const shape = this.#shapes.get(id);
    if (shape) Object.assign(shape, { curves, constant: new Float32Array(points.flat()), made: frame });
  }

  /** @param {string | null} id */
  matte(id) {
    return this.#mattes.find((m) => m.id === id) || null;
  }

  get groups() {
    return [...this.#shapes.values()].filter((s) => s.kind === "group");
  }

  /** @param {string} id */
  membersOf(id) {
    return [...this.#shapes.values()].filter((s) => s.group === id).sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  // The groups that carry a shape, or a group: its own first, then what that one rides on.
  /** @param {Shape | undefined} shape @returns {Shape[]} */
  groupsOf(shape) {
    const group = shape?.group ? this.#shapes.get(shape.group) : undefined;
    return group ? [group, ...this.groupsOf(group)] : [];
  }

  // All that a group carries, groups among it.
  /** @param {string} id @returns {Shape[]} */
  carriedBy(id) {
    return this.membersOf(id).flatMap((s) => [s, ...this.carriedBy(s.id)]);
  }

  // A name that no shape has: "fringe", "fringe 2", ...; with a number to begin at, that number always stands in it.
  /** @param {string} name @param {number} [begin] */
  freeName(name, begin) {
    const names = new Set([...this.#shapes.values()].map((s) => s.name));
    const called = (k) => (k === 1 && begin === undefined ? name : `${name} ${k}`);
    let k = begin ?? 1;
    while (names.has(called(k))) k++;
    return called(k);
  }

  // A row of something that holds a row a frame, or one for all of them.
  at(rows, frame) {
    return rows.length > 1 ? rows[Math.min(rows.length - 1, Math.max(0, frame - this.shot.first))] : rows[0];
  }

  /** @param {Shape} shape @param {number} frame */
  isLive(shape, frame) {
    return !shape.live.length || shape.live.some(([a, b]) => frame >= a && frame <= b);
  }

  // Whether a track was followed, or laid, as far as this frame.
  /** @param {Track} track @param {number} frame */
  knows(track, frame) {
    return frame >= track.frames[0] && frame <= track.frames[track.frames.length - 1];
  }

  // The form and placement keys of a shape next before and after a frame.
  /** @param {Shape} shape @param {number} frame */
  keysAround(shape, frame) {
    const frames = [...shape.form, ...shape.placement].map((k) => k.frame);
    return [Math.max(...frames.filter((f) => f < frame)), Math.min(...frames.filter((f) => f > frame))].filter(Number.isFinite);
  }
}
