// The thread board under the hand: scrubbing on the ruler, zooming, keys picked, moved, stretched, taken away.

import { edit } from "../net/commands.js";
import { CHANNELS, RANGE, ROW, SIDE, Threads } from "./threads.js";

export class Board extends Threads {
  constructor(element, store, plates, edits, player) {
    super(element, store, plates, player);
    this.edits = edits;
    for (const canvas of [this.ruler, this.rows, this.strip]) {
      canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
      canvas.addEventListener("dblclick", (e) => this.twice(e, canvas));
      canvas.addEventListener("pointerdown", (e) => this.down(e, canvas));
      canvas.addEventListener("pointermove", (e) => this.move(e));
      canvas.addEventListener("pointerup", () => this.up());
      canvas.addEventListener("pointercancel", () => this.drop());
    }
  }

  // The wheel zooms at the pointer, with Shift (or sideways) it pans; a double click on the ruler shows the whole range again.
  wheel(e) {
    const sideways = e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY);
    if (!sideways && e.currentTarget === this.rows && !e.ctrlKey) return; // over the threads the wheel scrolls them
    e.preventDefault();
    const whole = [this.store.document.shot.first, this.store.document.shot.last];
    const { first, last, width } = this.span;
    const by = (e.deltaMode === 1 ? 24 : 1) * (e.deltaX || e.deltaY);
    if (sideways) this.show(first + (by / width) * (last - first), last + (by / width) * (last - first));
    else {
      const at = first + ((e.offsetX - SIDE) / (width - 2 * SIDE)) * (last - first);
      const k = Math.exp(by * 0.0016);
      this.show(at - (at - first) * k, at + (last - at) * k);
    }
    if (this.window && this.window[0] <= whole[0] && this.window[1] >= whole[1]) this.window = null;
    this.draw();
  }

  twice(e, canvas) {
    if (canvas === this.ruler) this.window = null;
    else {
      const line = this.lineAt(e.offsetY);
      if (line && !this.keyAt(e.offsetX, e.offsetY)?.channel) this.open(line.shape.id);
    }
    this.draw();
  }

  // Open a shape's thread to its channels, or close it.
  open(id) {
    const set = this.store.document.shapes.get(id)?.kind === "group" ? this.folded : this.opened;
    if (!set.delete(id)) set.add(id);
    this.store.say("changed");
  }

  // The picked key; of several the one picked last.
  get key() {
    return this.keys.at(-1) || null;
  }

  isPicked(shape, channel, frame) {
    return this.keys.some((k) => k.shape === shape.id && k.channel === channel && k.frame === frame);
  }

  // The key under a place on the rows.
  keyAt(x, y) {
    const line = this.lineAt(y);
    if (!line) return null;
    const { shape } = line;
    const dy = y - (Math.floor((y - 4) / ROW) * ROW + ROW / 2 + 4);
    const order = line.channel ? [line.channel] : dy < -5 ? ["placement", "form", "settings"] : dy > 5 ? ["reach", "settings", "form", "placement"] : CHANNELS;
    for (const channel of order) {
      const key = this.told(shape, channel).find((k) => Math.abs(this.x(k.frame) - x) < 7);
      if (key) return { shape: shape.id, channel, frame: key.frame };
    }
    return { shape: shape.id };
  }

  // A click picks a key, with Shift one more, with Ctrl all later ones of its shape too; a drag brings all picked ones along, with Alt it stretches them from the far end.
  // Shift and a drag beside the keys draws a box around some.
  down(e, canvas) {
    canvas.setPointerCapture(e.pointerId);
    if (canvas === this.ruler && this.takesEnd(e)) return;
    if (canvas === this.rows) {
      const found = this.keyAt(e.offsetX, e.offsetY);
      if (found?.channel) return this.pick(found, e);
      if (e.shiftKey) {
        this.boxing = [e.offsetX, e.offsetY, e.offsetX, e.offsetY];
        return;
      }
      this.keys = [];
      if (found && !this.store.selection.has(found.shape)) this.store.selection.choose(found.shape, [], e.shiftKey);
    }
    this.moving = canvas;
    this.store.view.go(this.frameAt(e.offsetX));
    this.draw();
  }

  // A key and all later ones of its shape, in every channel: they move along.
  from(found) {
    const shape = this.store.document.shapes.get(found.shape);
    const later = CHANNELS.flatMap((channel) => this.told(shape, channel).filter((k) => k.frame >= found.frame).map((k) => ({ shape: shape.id, channel, frame: k.frame })));
    const own = (k) => k.channel === found.channel && k.frame === found.frame;
    return [...later.filter((k) => !own(k)), found];
  }

  // Whether the hand has taken an end of the working range.
  takesEnd(e) {
    const { document } = this.store;
    if (!document.mayTrace || e.offsetY > 2 * RANGE + 2) return false;
    const off = document.working.map((f) => Math.abs(this.x(f) - e.offsetX));
    const end = off[1] <= off[0] ? 1 : 0;
    if (off[end] > 10) return false;
    this.ranging = { end, frames: [...document.working] };
    return true;
  }

  // The working range was dragged: whoever has the acts says what comes of it.
  /** @param {number[]} _frames */
  setRange(_frames) {}

  pick(found, e) {
    const { store } = this;
    const at = this.keys.findIndex((k) => k.shape === found.shape && k.channel === found.channel && k.frame === found.frame);
    if (e.shiftKey && at >= 0) this.keys.splice(at, 1);
    else if (e.ctrlKey || e.metaKey) this.keys = this.from(found);
    else if (e.shiftKey || at >= 0) this.keys = [...this.keys.filter((_, i) => i !== at), found];
    else this.keys = [found];
    if (!store.selection.has(found.shape)) store.selection.choose(found.shape, [], e.shiftKey);
    store.view.go(found.frame);
    store.say("changed");
    if (store.document.mayTrace && this.keys.length) this.bringing = { from: found.frame, to: found.frame, stretch: e.altKey && this.keys.length > 1 };
  }

  move(e) {
    const box = this.rows.getBoundingClientRect();
    if (this.boxing) {
      this.boxing.splice(2, 2, e.clientX - box.left, e.clientY - box.top);
      this.draw();
    } else if (this.bringing) {
      const { first, last } = this.span;
      this.bringing.to = Math.round(Math.min(last, Math.max(first, this.frameAt(e.clientX - box.left))));
      this.draw();
    } else if (this.ranging) {
      const { first, last } = this.store.document.shot;
      const { end, frames } = this.ranging;
      const to = Math.min(last, Math.max(first, this.frameAt(e.clientX - this.ruler.getBoundingClientRect().left)));
      frames[end] = end ? Math.max(frames[0], to) : Math.min(frames[1], to);
      this.store.view.go(frames[end]);
      this.draw();
    } else if (this.moving) this.store.view.go(this.frameAt(e.clientX - this.moving.getBoundingClientRect().left));
    else if (e.target === this.rows) this.rows.style.cursor = this.keyAt(e.offsetX, e.offsetY)?.channel ? "pointer" : "default";
  }

  // Where a picked key goes while the picked ones are dragged: all by the same, or stretched from the one farthest from the hand.
  brought(frame) {
    const { from, to, stretch } = this.bringing;
    if (!stretch) return frame + to - from;
    const frames = this.keys.map((k) => k.frame);
    const still = Math.abs(Math.min(...frames) - from) > Math.abs(Math.max(...frames) - from) ? Math.min(...frames) : Math.max(...frames);
    return Math.round(still + ((frame - still) * (to - still)) / (from - still || 1));
  }

  // Picked keys were dragged to other frames: they go there with all that they hold.
  up() {
    if (this.boxing) this.pickBoxed();
    if (this.ranging) this.setRange(this.ranging.frames);
    const { bringing } = this;
    if (bringing && bringing.to !== bringing.from) {
      this.moveKeys(bringing.stretch ? "stretched" : "moved", (frame) => this.brought(frame));
      this.store.view.go(bringing.to);
    }
    this.drop();
  }

  // Picked keys go to other frames. how: "moved" or "stretched". to: where a key of a frame goes.
  moveKeys(how, to) {
    const moved = this.keys.map((k) => ({ ...k, to: to(k.frame) }));
    const each = new Map();
    for (const { shape, channel, frame, to } of moved) {
      const name = shape + channel;
      if (!each.has(name)) each.set(name, edit.retimeKeys({ shape, channel, moves: {} }));
      each.get(name).moves[frame] = to;
    }
    this.keys = moved.map(({ shape, channel, to }) => ({ shape, channel, frame: to }));
    this.edits.pushAll(`${how} ${moved.length} keys`, [...each.values()]);
  }

  // Without a mouse: all picked keys by so many frames.
  bringKeys(by) {
    if (!this.keys.length || !this.store.document.mayTrace) return false;
    this.moveKeys("moved", (frame) => frame + by);
    this.store.view.go(this.store.view.frame + by);
    return true;
  }

  // Pick one of the keys on a frame; again: the next of them.
  pickNext(frame) {
    const was = this.keys;
    this.pickOn(frame);
    const at = was.length === 1 ? this.keys.findIndex((k) => k.shape === was[0].shape && k.channel === was[0].channel) : -1;
    if (this.keys.length) this.keys = [this.keys[(at + 1) % this.keys.length]];
    this.store.say("changed");
  }

  pickBoxed() {
    const [x0, y0, x1, y1] = this.boxing;
    const within = (v, a, b) => v >= Math.min(a, b) && v <= Math.max(a, b);
    this.lines().forEach(({ shape, channel }, i) => {
      const y = i * ROW + ROW / 2 + 4;
      for (const [one, off] of channel ? [[channel, 0]] : [["placement", -9], ["form", 0], ["settings", 9], ["reach", 9]]) {
        if (!within(y + off, y0, y1)) continue;
        for (const { frame } of this.told(shape, one)) {
          if (within(this.x(frame), x0, x1) && !this.isPicked(shape, one, frame)) this.keys.push({ shape: shape.id, channel: one, frame });
        }
      }
    });
    this.store.say("changed");
  }

  drop() {
    this.moving = this.bringing = this.boxing = this.ranging = null;
    this.draw();
  }

  // Where a key is drawn: under the pointer while it is dragged.
  at(shape, channel, frame) {
    return this.x(this.bringing && this.isPicked(shape, channel, frame) ? this.brought(frame) : frame);
  }

  // Take the picked keys away; true when there were some.
  // Pick all keys of the chosen shapes on a frame.
  pickOn(frame) {
    const { selection } = this.store;
    this.keys = selection.chosenShapes.flatMap((shape) =>
      CHANNELS.filter((channel) => this.told(shape, channel).some((key) => key.frame === frame)).map((channel) => ({ shape: shape.id, channel, frame })),
    );
    this.store.say("changed");
  }

  dropKey() {
    const { keys } = this;
    if (!keys.length || !this.store.document.mayTrace) return false;
    this.keys = [];
    this.edits.pushAll(`removed ${keys.length} keys`, keys.map((key) => edit.dropKey({ ...key })));
    return true;
  }
}
