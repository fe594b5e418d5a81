// Tracks in the picture: a click begins one, a drag sets a point of the chosen one by hand on this frame.

import { toScreen } from "../geom/view.js";
import * as glyphs from "../glyphs/tracks.js";
import { hit } from "../model/hit.js";
import { edit } from "../net/commands.js";

const NEAR = 12; // screen px
export const HALF = 16; // plate px: half the width of a new patch

// How much each of four corners counts for a place between them (bilinear), found by Newton's method.
export function within([a, b, c, d], [x, y]) {
  let [u, v] = [0.5, 0.5];
  for (let k = 0; k < 12; k++) {
    const at = [0, 1].map((i) => (1 - v) * ((1 - u) * a[i] + u * b[i]) + v * ((1 - u) * d[i] + u * c[i]));
    const du = [0, 1].map((i) => (1 - v) * (b[i] - a[i]) + v * (c[i] - d[i]));
    const dv = [0, 1].map((i) => (1 - u) * (d[i] - a[i]) + u * (c[i] - b[i]));
    const area = du[0] * dv[1] - du[1] * dv[0] || 1e-9;
    const [ex, ey] = [x - at[0], y - at[1]];
    u += (ex * dv[1] - ey * dv[0]) / area;
    v += (du[0] * ey - du[1] * ex) / area;
  }
  return [(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v];
}

const bends = (track) => track.hows[0] === "bend";

export class Carrying {
  constructor(desk) {
    this.desk = desk;
    this.drag = null;
  }

  /** @returns {any} */
  pointAt(p) {
    const { store } = this.desk;
    let best = null;
    for (const track of store.document.tracks.values()) {
      if (bends(track)) continue; // it is corrected by the outline itself
      store.pending.trackPoints(track).forEach(([x, y], index) => {
        const away = Math.hypot(x - p.x, y - p.y) * p.scale - (track.id === store.selection.track ? 3 : 0);
        if (away < NEAR && (!best || away < best.away)) best = { track, index, away };
      });
    }
    return best || this.tickAt(p);
  }

  // A place of the chosen plane by which it can be moved as well: one of those that show how it holds.
  tickAt(p) {
    const { store, tracks } = this.desk;
    const tick = tracks.ticks.find(([x, y]) => Math.hypot(x - p.x, y - p.y) * p.scale < NEAR);
    if (!tick) return null;
    const start = store.pending.trackPoints(store.selection.trackNow);
    return { track: store.selection.trackNow, start, weights: within(start, tick) };
  }

  down(e, p) {
    const { store } = this.desk;
    if (store.view.drawing === "track" || store.view.drawing === "hand track") return this.lay(p);
    const found = this.pointAt(p);
    if (found) {
      store.selection.chooseTrack(found.track.id);
      if (store.document.mayTrace) this.drag = { ...found, from: p, moved: false };
      return;
    }
    const shape = hit(store, p.scale, p.x, p.y);
    if (shape) store.selection.choose(shape.shape.id, [], e.shiftKey);
  }

  lay(p) {
    const { store, tracks } = this.desk;
    const byHand = store.view.drawing === "hand track";
    store.view.set("drawing", false);
    tracks.begin({ name: byHand ? "path" : "point", points: [[p.x, p.y]], half: byHand ? 0 : HALF });
  }

  move(e, p) {
    const { drag } = this;
    if (!drag) return;
    const { store, stage } = this.desk;
    drag.moved = true;
    const [dx, dy] = [p.x - drag.from.x, p.y - drag.from.y];
    let points;
    if (drag.weights) {
      const all = drag.weights.reduce((sum, w) => sum + w * w, 0); // the corners move as little as brings the place along
      points = drag.start.map(([x, y], i) => [x + (dx * drag.weights[i]) / all, y + (dy * drag.weights[i]) / all]);
    } else {
      points = store.pending.trackPoints(drag.track).map((point) => [...point]);
      points[drag.index] = [points[drag.index][0] + dx, points[drag.index][1] + dy];
      drag.from = p;
    }
    store.pending.setTrack({ track: drag.track.id, frame: store.view.frame, points });
    stage.draw("outline");
  }

  up() {
    const { drag } = this;
    const { store, edits } = this.desk;
    this.drag = null;
    if (!drag?.moved) return;
    const places = store.pending.trackPoints(drag.track);
    const points = drag.weights ? { ...places } : { [drag.index]: places[drag.index] };
    edits.push(edit.correctTrack({ track: drag.track.id, frame: store.view.frame, points })).then(() => {
      store.pending.setTrack(null);
      this.desk.stage.draw("outline");
    });
  }

  cancel() {
    this.drag = null;
    this.desk.store.pending.setTrack(null);
    if (this.desk.store.view.drawing) this.desk.stopTracing();
    this.desk.stage.draw("outline");
  }

  hover(e, p) {
    if (this.desk.store.view.drawing) return "crosshair";
    return this.pointAt(p) ? "grab" : "default";
  }

  paint(pen, view) {
    const { store, tracks, preview } = this.desk;
    for (const path of preview.now?.paths || []) glyphs.wouldBe(pen, path, store.selection.trackNow?.parts || 1, view);
    glyphs.marks(pen, tracks.ticks, view);
    for (const track of store.document.tracks.values()) {
      if (bends(track)) continue;
      const chosen = track.id === store.selection.track;
      const live = tracks.livePath(track.id);
      if (chosen) glyphs.trackPath(pen, store.pending.trackWay(track, live), view);
      const there = live.find(([frame]) => frame === store.view.frame)?.[1] || store.pending.trackPoints(track);
      const places = there.map(([x, y]) => toScreen(view, x, y));
      if (places.length > 1) glyphs.quad(pen, places, chosen);
      else if (chosen && track.patch?.half) glyphs.patch(pen, places[0], track.patch.half * view.scale);
      for (const [x, y] of places) glyphs.trackPoint(pen, x, y, { chosen, manual: track.manual.includes(store.view.frame), known: store.document.knows(track, store.view.frame) });
    }
  }
}
