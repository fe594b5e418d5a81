// The acts on whole shapes: one again, several as one, none to be changed; `Desk` has them as its own.

import { newId } from "./net/api.js";

export const together = {
  duplicate() {
    const { store } = this;
    if (!store.shape || !store.mayTrace || !store.matte) return;
    const twin = newId();
    if (store.pivots.has(store.shape.id)) store.pivots.set(twin, store.pivots.get(store.shape.id));
    this.edits.push({ do: "duplicate", shape: store.shape.id, twin, entry: newId(), matte: store.matte }).then(() => {
      if (store.shapes.has(twin)) store.choose(twin);
    });
  },

  // The chosen shapes move as one from now on.
  group() {
    const { store } = this;
    const members = store.editable;
    if (!members.length) return this.tell("Choose the shapes that are to move as one first, with Shift and a click.");
    const names = new Set([...store.shapes.values()].map((s) => s.name));
    let k = store.groups.length + 1;
    while (names.has(`group ${k}`)) k++;
    const shape = newId();
    const command = { do: "new group", shape, name: `group ${k}`, members: members.map((s) => s.id), frame: store.frame, colour: members[0].colour };
    this.edits.push(command).then(() => {
      if (!store.shapes.has(shape)) return;
      store.choose(shape);
      this.setStep("place");
    });
  },

  // The chosen shapes go over to another group (or to none, by an empty id) and stay where they are.
  ride(group) {
    const { store } = this;
    const commands = store.editable.filter((s) => (s.group || "") !== group).map((s) => ({ do: "ride", shape: s.id, group: group || null }));
    if (commands.length) this.edits.pushAll(group ? `joined ${store.shapes.get(group).name}` : "left the group", commands);
  },

  lock() {
    const { store } = this;
    const shapes = store.mayTrace ? store.chosenShapes : [];
    const locked = !shapes.every((s) => s.locked);
    const commands = shapes.map((s) => ({ do: "lock", shape: s.id, locked }));
    if (commands.length) this.edits.pushAll(`${locked ? "locked" : "unlocked"} ${commands.length} shapes`, commands);
  },
};
