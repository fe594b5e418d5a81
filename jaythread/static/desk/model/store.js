// What the desk knows: the shot, its shapes with their outlines on every frame, what is chosen. Says when something changed.

import { Marks } from "./marks.js";

export function decodeOutlines(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Float32Array(bytes.buffer);
}

export class Store extends EventTarget {
  constructor(data) {
    super();
    this.shot = data.shot;
    this.plate = data.plate;
    this.mayTrace = data.mayTrace;
    this.ownKeys = data.keys || {};
    this.frame = data.shot.first;
    this.step = "trace";
    this.look = "plate";
    this.hidden = false;
    this.neighbours = false; // or "keys", or how many frames before and after
    this.pointsOnly = false;
    this.spread = "here"; // which keys a change touches: the one "here", "all", or those from here "on"
    this.stride = 5; // frames
    this.marked = null; // a frame to compare with
    this.display = { exposure: 0, gamma: 1, channel: "all", tint: "#7d4f96", strength: 0.5 };
    this.marks = new Marks(data.shot.id);
    this.ground = "checker";
    this.drawing = false;
    this.playing = false; // or which way: 1 on, -1 backwards
    this.shots = data.shots || []; // other shots of the production
    this.grounds = data.grounds || []; // other plates of the production to lay the cut-out on
    this.shapes = new Map();
    this.tracks = new Map();
    this.localTrack = null; // {track, frame, points} while it is dragged
    this.livePath = null; // {track, path} while it is followed
    this.steadyOn = null; // the track that the picture is held still on
    this.picked = new Map(); // chosen shapes, the last one first among equals: id -> set of its chosen points
    this.local = new Map(); // what is being dragged or on its way to the server: id -> frame -> points
    this.localSoft = new Map();
    this.pivots = new Map(); // where the artist has put a pivot: id -> [x, y] in plate px
    this.choicePivot = null; // where the artist has put the pivot of the chosen points, plate px
    this.loupe = false; // whether a drag shows what lies under the pointer larger
    this.dragging = new Set();
    this.waitsFor = () => false; // told by the network: whether edits of a shape are still on their way
    this.take(data);
    this.matte = this.mattes.length ? this.mattes[0].id : null;
    this.track = this.tracks.keys().next().value || null; // the chosen one
    const top = this.stack().at(-1);
    if (top) this.choose(top.shape);
  }

  say(what, detail) {
    this.dispatchEvent(new CustomEvent(what, { detail }));
  }

  // Take in what the server says; local versions are dropped once nothing of that shape is on its way any more.
  take(data) {
    for (const field of ["revision", "shutter", "mattes", "undo", "redo"]) if (field in data) this[field] = data[field];
    if (data.tracks) this.takeTracks(data.tracks);
    for (const shape of data.shapes) {
      const had = this.shapes.get(shape.id);
      if (shape.outlines) shape.outlines = decodeOutlines(shape.outlines);
      else {
        shape.outlines = had?.outlines && had.revision === shape.revision ? had.outlines : null;
        shape.opening = decodeOutlines(shape.opening);
      }
      this.shapes.set(shape.id, shape);
      if (!this.dragging.has(shape.id) && !this.waitsFor(shape.id)) this.settle(shape.id);
    }
    for (const id of data.gone || []) {
      this.shapes.delete(id);
      this.picked.delete(id);
      this.settle(id);
    }
    if (this.matte && !this.mattes.some((m) => m.id === this.matte)) this.matte = this.mattes.length ? this.mattes[0].id : null;
    this.say("changed");
  }

  get incomplete() {
    return [...this.shapes.values()].some((s) => !s.outlines && !s.constant);
  }

  // The outlines of every frame, where the shot was too long to open with them: see the server's `outlines`.
  fill(buffer) {
    const bytes = new Uint8Array(buffer);
    const end = bytes.indexOf(10) + 1;
    const parts = JSON.parse(new TextDecoder().decode(bytes.subarray(0, end)));
    let at = end;
    for (const [id, revision, count] of parts) {
      const shape = this.shapes.get(id);
      if (shape && !shape.outlines && shape.revision === revision) shape.outlines = new Float32Array(buffer, at, count);
      at += count * 4;
    }
    this.say("changed");
  }

  settle(id) {
    this.local.delete(id);
    this.localSoft.delete(id);
  }

  takeTracks(tracks) {
    this.tracks = new Map(tracks.map((track) => [track.id, { ...track, path: decodeOutlines(track.path) }]));
    if (!this.tracks.has(this.track)) this.track = this.tracks.keys().next().value || null;
    if (!this.tracks.has(this.steadyOn)) this.steadyOn = null;
  }

  get trackNow() {
    return this.tracks.get(this.track) || null;
  }

  // The points of a track on a frame, [x, y] each, with what is being dragged on it.
  trackPoints(track, frame = this.frame) {
    const { localTrack } = this;
    if (localTrack?.track === track.id && localTrack.frame === frame) return localTrack.points;
    const at = (Math.min(this.shot.last, Math.max(this.shot.first, frame)) - this.shot.first) * track.parts * 2;
    return [...Array(track.parts).keys()].map((i) => [track.path[at + 2 * i], track.path[at + 2 * i + 1]]);
  }

  // Whether a track was followed, or laid, as far as this frame.
  knows(track, frame = this.frame) {
    return frame >= track.frames[0] && frame <= track.frames.at(-1);
  }

  // Where the middle of a track goes: {x, y, sure, hand, frame} of its frames, and of those that are just being found.
  trackWay(track, live = []) {
    const middle = (points) => [0, 1].map((c) => points.reduce((sum, p) => sum + p[c], 0) / points.length);
    const found = track.frames.map((frame, i) => ({ frame, points: this.trackPoints(track, frame), sure: track.sure[i], hand: track.hand.includes(frame) }));
    const fresh = live.map(([frame, points, sure]) => ({ frame, points, sure, hand: false }));
    const there = new Set(fresh.map((f) => f.frame));
    const all = [...found.filter((f) => !there.has(f.frame)), ...fresh].sort((a, b) => a.frame - b.frame);
    return all.map(({ points, ...rest }) => ({ ...rest, x: middle(points)[0], y: middle(points)[1], here: rest.frame === this.frame }));
  }

  get matteNow() {
    return this.mattes.find((m) => m.id === this.matte) || null;
  }

  // Another matte comes up: what is chosen is of it, or nothing.
  turnTo(matte) {
    this.matte = matte;
    const lines = new Set(this.stack().map((line) => line.shape));
    for (const id of [...this.picked.keys()]) if (!lines.has(id) && this.shapes.get(id)?.kind !== "group") this.picked.delete(id);
    if (!this.picked.size && this.stack().length) this.choose(this.stack().at(-1).shape);
    this.say("changed");
  }

  // The lines of the present matte, bottom first: of groups too, right above those of their shapes.
  lines() {
    const matte = this.matteNow;
    return matte ? matte.stack.filter((e) => this.shapes.has(e.shape)) : [];
  }

  // Those that have an outline.
  stack() {
    return this.lines().filter((e) => this.shapes.get(e.shape).kind !== "group");
  }

  // The shape that the panel speaks of: the last chosen one.
  get chosen() {
    return [...this.picked.keys()].at(-1) || null;
  }

  get shape() {
    return this.chosen ? this.shapes.get(this.chosen) || null : null;
  }

  get chosenShapes() {
    return [...this.picked.keys()].map((id) => this.shapes.get(id)).filter(Boolean);
  }

  // Whether a shape is the band of a fringe in the present matte.
  isFringe(shape) {
    return this.stack().some((line) => line.shape === shape.id && line.mode === "solve");
  }

  // Those of the chosen shapes, and groups, that may be changed.
  get movable() {
    return this.mayTrace ? this.chosenShapes.filter((s) => !s.locked) : [];
  }

  // Those of them that have an outline.
  get editable() {
    return this.movable.filter((s) => s.kind !== "group");
  }

  get groups() {
    return [...this.shapes.values()].filter((s) => s.kind === "group");
  }

  membersOf(id) {
    return [...this.shapes.values()].filter((s) => s.group === id).sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  // What is shown as chosen: the shapes of a chosen group too.
  get inHand() {
    return new Set([...this.picked.keys()].flatMap((id) => (this.shapes.get(id)?.kind === "group" ? this.membersOf(id).map((s) => s.id) : [id])));
  }

  // What a change says beside itself: which keys it is for.
  get spreading() {
    return this.spread === "here" ? {} : { spread: this.spread };
  }

  pointsOf(id) {
    return this.picked.get(id) || new Set();
  }

  get pointCount() {
    let count = 0;
    for (const points of this.picked.values()) count += points.size;
    return count;
  }

  // The middle of the chosen points.
  get middle() {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const shape of this.editable) {
      const points = this.outline(shape);
      for (const i of this.pointsOf(shape.id)) {
        box[0] = Math.min(box[0], points[i * 6]);
        box[1] = Math.min(box[1], points[i * 6 + 1]);
        box[2] = Math.max(box[2], points[i * 6]);
        box[3] = Math.max(box[3], points[i * 6 + 1]);
      }
    }
    return [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
  }

  // The form and placement keys of a shape next before and after a frame.
  keysAround(shape, frame = this.frame) {
    const frames = [...shape.form, ...shape.placement].map((k) => k.frame);
    return [Math.max(...frames.filter((f) => f < frame)), Math.min(...frames.filter((f) => f > frame))].filter(Number.isFinite);
  }

  // The frames whose outlines are shown faintly beside this one's.
  neighboursOf(shape) {
    if (this.neighbours === "keys") return this.keysAround(shape);
    const by = Number(this.neighbours) || 0;
    return [this.frame - by, this.frame + by].filter((f) => by && f >= this.shot.first && f <= this.shot.last);
  }

  // Where a point is on every frame around this one.
  wayOf(shape, i, around = 60) {
    const keys = new Set([...shape.form, ...shape.placement].map((k) => k.frame));
    const out = [];
    for (let f = Math.max(this.shot.first, this.frame - around); f <= Math.min(this.shot.last, this.frame + around); f++) {
      const points = this.outline(shape, f);
      out.push({ x: points[i * 6], y: points[i * 6 + 1], key: keys.has(f) });
    }
    return out;
  }

  isLive(shape, frame = this.frame) {
    return !shape.live.length || shape.live.some(([a, b]) => frame >= a && frame <= b);
  }

  // The outline of a shape on a frame, with what is being dragged on it.
  outline(shape, frame = this.frame) {
    const local = this.local.get(shape.id);
    if (local && local.has(frame)) return local.get(frame);
    if (shape.constant) return shape.constant;
    if (!shape.outlines) return shape.opening;
    const n = shape.curves.length * 6;
    const at = Math.min(this.shot.last, Math.max(this.shot.first, frame)) - this.shot.first;
    return shape.outlines.subarray(at * n, (at + 1) * n);
  }

  at(rows, frame) {
    return rows.length > 1 ? rows[Math.min(rows.length - 1, Math.max(0, frame - this.shot.first))] : rows[0];
  }

  // The soft edge of a shape: of its chosen points where some are and each has a reach of its own, else the largest there is.
  soft(shape, frame = this.frame) {
    const [inner, outer, shift, opacity] = this.at(shape.soft, frame);
    const reaches = this.reaches(shape, frame, false);
    const some = [...this.pointsOf(shape.id)].filter((i) => reaches?.[i]);
    const those = reaches && (some.length ? some.map((i) => reaches[i]) : reaches.filter(Boolean));
    const most = (c) => Number(Math.max(...those.map((pair) => pair[c])).toFixed(2));
    return { inner: those ? most(0) : inner, outer: those ? most(1) : outer, shift, opacity, ...(this.localSoft.get(shape.id) || {}) };
  }

  // [inner, outer] of each point (null for those that take theirs from their neighbours), or null where one reach holds everywhere;
  // with what is being dragged in it.
  reaches(shape, frame = this.frame, withLocal = true) {
    const local = withLocal && this.localSoft.get(shape.id);
    const picked = this.pointsOf(shape.id);
    const [inner, outer] = this.at(shape.soft, frame);
    const own = shape.reaches ? this.at(shape.reaches, frame) : null;
    if (!local || !("inner" in local || "outer" in local)) return own;
    if (!own && !picked.size) return null;
    const now = own || shape.curves.map(() => [inner, outer]);
    const largest = [0, 1].map((c) => Math.max(...now.filter(Boolean).map((pair) => pair[c])));
    const sized = (pair, c, to) => (to === undefined ? pair[c] : largest[c] ? (pair[c] * to) / largest[c] : to);
    return now.map((pair, i) => {
      if (picked.size) return picked.has(i) ? [local.inner ?? (pair || largest)[0], local.outer ?? (pair || largest)[1]] : pair;
      return pair && [sized(pair, 0, local.inner), sized(pair, 1, local.outer)];
    });
  }

  // The largest reach that any point has here, for what a change may touch.
  mostReach(shape) {
    const soft = this.soft(shape);
    const all = (this.reaches(shape) || []).filter(Boolean).flat();
    return Math.max(soft.inner, soft.outer, ...all) + Math.abs(soft.shift);
  }

  // Move, turn and size at a frame.
  placement(shape, frame = this.frame) {
    const [x, y, turn, size] = this.at(shape.placed, frame);
    return { x, y, turn, size };
  }

  // Where the pivot lies in the picture on this frame.
  pivot(shape) {
    return this.pivots.get(shape.id) || this.at(shape.placed, this.frame).slice(4);
  }

  setLocal(shape, points) {
    if (!this.local.has(shape.id)) this.local.set(shape.id, new Map());
    this.local.get(shape.id).set(this.frame, points);
    this.say("dragged", shape.id);
  }

  // Other frames are out of date until the server answers.
  isPale(shape) {
    const local = this.local.get(shape.id);
    return Boolean(local && !local.has(this.frame)) || (!shape.outlines && !shape.constant && this.frame !== this.shot.first) || Boolean(shape.constant && shape.made !== this.frame);
  }

  // A shape that was traced just now, shown until the server knows it.
  provisional(command) {
    const points = new Float32Array(command.points.flat());
    const rest = { placed: [[0, 0, 0, 1, points[0], points[1]]], kind: "closed", group: null, locked: false, reach: [], reaches: null, soft: [[0, 0, 0, 1]], placement: [], settings: [], live: [] };
    const key = { frame: command.frame, kind: 2, parts: [], full: true };
    this.shapes.set(command.shape, {
      id: command.shape, name: command.name, colour: command.colour, curves: command.curves, profile: "straight", blur: true, revision: 0,
      pivot: [0, 0], form: [key], constant: points, made: command.frame, ...rest,
    });
    const line = { id: command.entry, shape: command.shape, mode: command.mode, inverted: false, opacity: 1 };
    if (this.matteNow) this.matteNow.stack.push(line);
    this.choose(command.shape);
  }

  go(frame) {
    const to = Math.min(this.shot.last, Math.max(this.shot.first, Math.round(frame)));
    if (to === this.frame || !Number.isFinite(to)) return;
    this.frame = to;
    this.say("frame");
  }

  // Choose a shape (with some of its points); `more` adds to what is chosen.
  choose(id, points = [], more = false) {
    this.choicePivot = null;
    const was = this.pointsOf(id);
    if (!more) this.picked = new Map();
    if (id) {
      this.picked.delete(id);
      this.picked.set(id, new Set(more ? [...was, ...points] : points));
    }
    this.say("changed");
  }

  choosePoints(map) {
    this.choicePivot = null;
    this.picked = map;
    this.say("changed");
  }

  set(field, value) {
    if (this[field] === value) return;
    this[field] = value;
    this.say("changed");
  }

  // Frames that hold a key of the chosen shapes, in order.
  keyFrames() {
    const frames = this.chosenShapes.flatMap((s) => [...s.form, ...s.placement, ...s.settings].map((k) => k.frame));
    return [...new Set(frames)].sort((a, b) => a - b);
  }

  // What a change would touch, in words: [quiet, now, quiet].
  touches() {
    const shapes = this.chosenShapes;
    if (this.drawing === "track") return ["Click a spot with a corner or a texture: ", "a point", " is followed from there. Escape ends it"];
    if (this.drawing === "hand track") return ["Click where the path begins: ", "a point", ", then drag it on other frames. Escape ends it"];
    if (this.drawing === "brush") return ["Paint over the hair or fuzz of ", this.shape?.name || "the shape", ": alpha is solved there. Escape ends it"];
    if (this.drawing && this.drawing !== "points") return [`Drag out the ${this.drawing}, from corner to corner`, "", ""];
    if (this.drawing) return ["Click for a corner, drag for a curve; click the first point to close", "", ""];
    if (!this.mayTrace) return ["You can look here; artists and leads trace", "", ""];
    if (this.step === "carry") {
      const track = this.trackNow;
      return track ? ["A drag of its point sets ", `the track ${track.name} by hand`, ` on frame ${this.frame}`] : ["Follow a point, or the plane of a shape: ", "see the panel", ""];
    }
    if (!shapes.length && !this.stack().length) return ["Nothing is traced yet: press ", "N", " and click around the subject"];
    if (!shapes.length) return ["Nothing is chosen: click an outline, or its name", "", ""];
    const whose = shapes.length > 1 ? `${shapes.length} shapes` : shapes[0].name;
    const where = ` of ${whose} on frame ${this.frame}, nothing else`;
    if (!this.movable.length) return [`${whose} is locked: press `, "L", " to unlock"];
    if (this.spread !== "here") {
      const which = this.spread === "all" ? "ALL KEYS" : `ALL KEYS FROM ${this.frame} ON`;
      return ["A change here moves ", which, ` of ${whose} by the same; press A to change that`];
    }
    if (this.step === "check" && !this.editable.length) return ["Choose a shape to mend it: ", "a drag moves its points", ""];
    if (this.step === "place") return ["A drag here keys ", "the placement", where];
    if (!this.editable.length) return [`${whose} has no outline of its own: `, "Place", " moves its shapes as one"];
    const all = shapes.reduce((n, s) => n + s.curves.length, 0);
    const some = this.pointCount;
    if (this.step === "soften" && this.isFringe(shapes.at(-1))) return ["How a fringe is solved is set in the panel; ", "Trace", " moves its outline"];
    if (this.step === "soften") return ["A drag here keys ", some ? `the soft edge at ${some} of ${all} points` : "the soft edge", where];
    return ["A change here keys ", some ? `${some} of ${all} points` : "the points you move", where];
  }
}

