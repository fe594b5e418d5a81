// The acts on whole shapes: one again, several as one, none to be changed; `Desk` has them as its own.

import { newId } from "../net/api.js";
import { edit } from "../net/commands.js";

/** @type {ThisType<any> & Record<string, any>} */
export const shapes = {
  // All chosen shapes once more, with their keys; the copies are chosen then.
  duplicate() {
    const { store } = this;
    const { selection, document } = store;
    if (!document.mayTrace || !selection.matte) return;
    const twins = selection.chosenShapes.map((shape) => ({ shape: shape.id, twin: newId() }));
    if (!twins.length) return;
    for (const { shape, twin } of twins) if (selection.pivots.has(shape)) selection.pivots.set(twin, selection.pivots.get(shape));
    const commands = twins.map((it) => edit.duplicate({ ...it, entry: newId(), matte: selection.matte }));
    this.edits.pushAll(`duplicated ${twins.length} shapes`, commands).then(() => {
      const there = twins.filter(({ twin }) => document.shapes.has(twin));
      if (there.length) selection.choosePoints(new Map(there.map(({ twin }) => [twin, new Set()])));
    });
  },

  // All chosen shapes go, and what only they hold; undo brings them back.
  removeShapes() {
    const { selection, document } = this.store;
    const commands = document.mayTrace ? selection.chosenShapes.map((shape) => edit.remove({ shape: shape.id })) : [];
    if (commands.length) this.edits.pushAll(`removed ${commands.length} shapes`, commands);
  },

  // How all chosen shapes look, or blur.
  appearance(values) {
    const commands = this.store.selection.editable.map((shape) => edit.appearance({ shape: shape.id, ...values }));
    if (commands.length) this.edits.pushAll(`changed how ${commands.length} shapes look`, commands);
  },

  // All shapes of the stack that are like the chosen one: of its "colour", or of its "group".
  chooseLike(what) {
    const { document, selection } = this.store;
    const { shape } = selection;
    if (!shape) return;
    const like = selection.stack().map((line) => document.shapes.get(line.shape)).filter((s) => s[what] === shape[what]);
    selection.choosePoints(new Map(like.map((s) => [s.id, new Set()])));
  },

  // The chosen shapes move as one from now on.
  group() {
    const { store } = this;
    const members = this.heads();
    if (!members.length) return this.tell("Choose the shapes that are to move as one first, with Shift and a click.");
    const shape = newId();
    const command = edit.newGroup({ shape, name: store.document.freeName("group", store.document.groups.length + 1), members: members.map((s) => s.id), frame: store.view.frame, colour: members[0].colour });
    this.edits.push(command).then(() => {
      if (!store.document.shapes.has(shape)) return;
      store.selection.choose(shape);
      this.setStep("place");
    });
  },

  // The chosen shapes, and groups, go over to another group (or to none, by an empty id) and stay where they are.
  ride(group) {
    const { store } = this;
    const commands = this.heads().filter((s) => (s.group || "") !== group).map((s) => edit.ride({ shape: s.id, group: group || null }));
    if (commands.length) this.edits.pushAll(group ? `joined ${store.document.shapes.get(group).name}` : "left the group", commands);
  },

  lock() {
    const { store } = this;
    const shapes = store.document.mayTrace ? store.selection.chosenShapes : [];
    const locked = !shapes.every((s) => s.locked);
    const commands = shapes.map((s) => edit.lock({ shape: s.id, locked }));
    if (commands.length) this.edits.pushAll(`${locked ? "locked" : "unlocked"} ${commands.length} shapes`, commands);
  },

  // Bring the chosen shape up (1) or down (-1) by one line of the stack.
  reorder(way) {
    const line = this.store.selection.lines().find((l) => l.shape === this.store.selection.chosen);
    const beside = line && this.store.selection.lines().filter((l) => l.within === line.within);
    const to = beside?.[beside.indexOf(line) + way];
    if (to) this.bringTo(line.id, to.id);
  },

  // A line of the stack to where another one is; one that counts within a group stays within it.
  bringTo(line, to) {
    const lines = this.store.selection.lines();
    const [from, there] = [line, to].map((id) => lines.find((l) => l.id === id));
    if (!from || !there || !this.store.document.mayTrace) return;
    const beside = lines.filter((l) => l.within === from.within);
    const goal = beside.find((l) => l === there || l.id === there.within);
    if (!goal) return this.tell(`It counts within ${this.store.document.shapes.get(lines.find((l) => l.id === from.within).shape).name}: drag that line, or let it move by itself first.`);
    const at = beside.indexOf(goal);
    const way = Math.sign(at - beside.indexOf(from));
    if (!way) return;
    const beyond = beside[at + way];
    this.edits.push(edit.entry({ entry: line, order: beyond ? (goal.order + beyond.order) / 2 : goal.order + way }));
  },

  // Hide the outlines of the chosen shapes, or show them again.
  hideShapes() {
    const { store } = this;
    if (!store.selection.size) return;
    store.view.hiddenShapes.toggle(store.selection.ids);
    store.say("changed");
  },

  // Show the chosen shape's outline alone, or all again.
  showAlone() {
    const { store } = this;
    if (!store.selection.shape) return;
    store.view.hiddenShapes.toggleAlone(store.selection.shape.id);
    store.say("changed");
  },
};
