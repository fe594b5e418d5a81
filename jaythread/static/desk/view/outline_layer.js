// The outlines as they lie over the picture: a layer of its own, so that a drag redraws nothing else.

import { reachLines } from "../geom/reach.js";
import * as glyphs from "../glyphs/outlines.js";
import { found, foundBox, marks, noted, place } from "../glyphs/tracks.js";

const LOUPE = { radius: 64, away: 104, times: 4 }; // screen px, and how much larger
const WHILE_DRAGGED = 0.55; // the outline fades while it is dragged, so that the edge below it can be judged

export class OutlineLayer {
  constructor(stage) {
    this.stage = stage;
    this.store = stage.store;
  }

  /** @param {CanvasRenderingContext2D} pen */
  paint(pen) {
    const { stage, store } = this;
    if (!store.view.hidden) this.paintShapes(pen);
    this.paintPreview(pen);
    this.paintMarks(pen);
    stage.extra?.(pen, stage.view);
    if (store.view.loupe && store.pending.dragging.size && stage.pointer?.last) this.paintLoupe(pen);
  }

  // The shapes of the stack, those in hand above the others.
  paintShapes(pen) {
    const { document, pending, selection, view } = this.store;
    const { inHand } = selection;
    for (const entry of selection.stack()) {
      const shape = document.shapes.get(entry.shape);
      if (inHand.has(shape.id) || !document.isLive(shape, view.frame) || !view.hiddenShapes.isShown(shape.id)) continue;
      glyphs.thread(pen, pending.outline(shape), this.stage.view, glyphs.COLOURS[shape.colour], { pale: pending.isStale(shape) });
    }
    pen.globalAlpha = pending.dragging.size ? WHILE_DRAGGED : 1;
    for (const id of inHand) if (view.hiddenShapes.isShown(id)) this.paintChosen(pen, document.shapes.get(id));
    pen.globalAlpha = 1;
  }

  // A change that is shown before it is taken.
  paintPreview(pen) {
    const { drawing, preview, view } = this.stage;
    if (drawing?.live) found(pen, drawing.live, view);
    if (!preview?.now) return;
    const { frame } = this.store.view;
    for (const { points, reaches, shift } of preview.soft(frame)) glyphs.varyingBand(pen, reachLines(points, reaches, shift), view);
    for (const { points, soft } of preview.lenses(frame)) glyphs.band(pen, points, view, soft);
    for (const points of preview.outlines(frame)) glyphs.openly(pen, points, view);
  }

  // Where outlines are off, and what notes point at.
  paintMarks(pen) {
    const { fits, findings, notes, view } = this.stage;
    if (!this.store.view.hidden) marks(pen, fits?.marks || [], view);
    for (const { box, chosen } of findings?.here || []) foundBox(pen, box, view, chosen);
    for (const path of notes?.strokes || []) noted(pen, path.map(([x, y]) => [x * view.scale + view.x, y * view.scale + view.y]));
    for (const note of notes?.here || []) place(pen, note.x * view.scale + view.x, note.y * view.scale + view.y);
  }

  // What lies under the pointer, larger, beside it: the plate and the outline in hand.
  paintLoupe(pen) {
    const { store, stage } = this;
    const { view, pointer } = stage;
    const { sx, sy } = pointer.last;
    const [cx, cy] = [sx + (sx > LOUPE.away * 2 ? -LOUPE.away : LOUPE.away), sy + (sy > LOUPE.away * 2 ? -LOUPE.away : LOUPE.away)];
    const close = { scale: view.scale * LOUPE.times, x: cx - (sx - view.x) * LOUPE.times, y: cy - (sy - view.y) * LOUPE.times };
    const picture = stage.plates.best(store.view.frame, true);
    const [w, h] = store.document.shot.size;
    pen.save();
    pen.beginPath();
    pen.arc(cx, cy, LOUPE.radius, 0, 7);
    pen.fillStyle = "#777";
    pen.fill();
    pen.clip();
    pen.imageSmoothingEnabled = false;
    if (picture) pen.drawImage(picture, close.x, close.y, w * close.scale, h * close.scale);
    for (const id of store.pending.dragging) glyphs.thread(pen, store.pending.outline(store.document.shapes.get(id)), close, glyphs.COLOURS[store.document.shapes.get(id).colour]);
    pen.restore();
    pen.beginPath();
    pen.arc(cx, cy, LOUPE.radius, 0, 7);
    pen.strokeStyle = glyphs.CASING;
    pen.lineWidth = 4;
    pen.stroke();
  }

  paintChosen(pen, shape) {
    const { store, stage } = this;
    const { view } = stage;
    const points = store.pending.outline(shape);
    const soft = store.pending.soft(shape);
    if (store.view.neighbours && !store.view.playing) {
      for (const frame of store.view.neighboursOf(shape)) glyphs.faint(pen, store.pending.outline(shape, frame), view, glyphs.COLOURS[shape.colour]);
      const picked = [...store.selection.pointsOf(shape.id)];
      if (picked.length === 1) glyphs.way(pen, store.pending.wayOf(shape, picked[0]), view, glyphs.INK);
    }
    const reaches = store.pending.reaches(shape);
    if (store.selection.isFringe(shape)) {
      if (store.view.mode === "plate") glyphs.field(pen, points, view); // elsewhere it would lie on what is judged
    } else if (reaches) glyphs.varyingBand(pen, reachLines(points, reaches, soft.shift), view);
    else if (soft.inner || soft.outer) glyphs.band(pen, points, view, soft);
    if (!store.document.isLive(shape, store.view.frame)) pen.setLineDash([2, 5]);
    if (!store.view.pointsOnly) glyphs.thread(pen, points, view, glyphs.COLOURS[shape.colour], { chosen: true, pale: store.pending.isStale(shape) });
    pen.setLineDash([]);
    if (store.view.step === "place" || store.view.step === "carry" || store.view.drawing || shape.locked) return;
    const picked = store.selection.pointsOf(shape.id);
    if (store.view.step === "trace" || store.view.step === "check") for (const i of picked) glyphs.tangents(pen, points, i, view);
    for (let i = 0; i < shape.curves.length; i++) glyphs.point(pen, points, i, view, shape.curves[i], picked.has(i));
  }
}
