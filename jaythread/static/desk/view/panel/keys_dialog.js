// The list of keys: searched, and changed by a person for themselves.

import { nameOf, pressed, whyNot } from "../../acts/table.js";
import { post } from "../../net/api.js";
import { dialog, part } from "./component.js";

export const keysDialog = part(() => ({
  rows: [], pages: [], search: "", changing: "", keySays: "",

  connected(desk) {
    desk.showKeys = () => this.open();
  },
  open() {
    this.search = this.changing = this.keySays = "";
    this.find();
    dialog("keys").showModal();
  },
  close() {
    dialog("keys").close();
  },
  find() {
    const words = this.search.toLowerCase().split(" ").filter(Boolean);
    const rows = this.table.map((act) => ({ id: act.id, fixed: Boolean(act.fixed), says: act.says, group: act.group, keys: act.keys.map(nameOf).join(", or ") }));
    this.look(words);
    this.rows = rows.filter((row) => words.every((w) => `${row.says} ${row.group} ${row.keys}`.toLowerCase().includes(w)));
  },
  // Pages of the guide that hold the words, a moment after the last key.
  look(words) {
    clearTimeout(this.looking);
    if (!words.length) this.pages = [];
    else this.looking = setTimeout(async () => {
      const reply = await fetch(`/guide/search?words=${encodeURIComponent(words.join(" "))}`).catch(() => null);
      if (reply?.ok) this.pages = (await reply.json()).pages;
    }, 200);
  },
  change(row) {
    this.changing = row.id;
    this.keySays = "Press the new key; Escape leaves it as it is.";
  },
  async pressed(event) {
    if (!this.changing || ["Control", "Shift", "Alt", "Meta"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    const key = pressed(event);
    this.keySays = key === "Escape" ? "" : whyNot(this.table, this.changing, key);
    if (this.keySays) return;
    const act = this.table.find((one) => one.id === this.changing);
    this.changing = "";
    if (key !== "Escape") await this.give([[act, [key]]]);
  },
  async give(pairs) {
    const own = { ...this.desk.ownKeys };
    for (const [act, keys] of pairs) {
      act.keys = keys;
      if (keys.join() === act.ours.join()) delete own[act.id];
      else own[act.id] = keys;
    }
    this.desk.ownKeys = own;
    this.find();
    try {
      await post("/me/keys", { keys: own });
      this.keySays = "Kept for you, on every machine.";
    } catch (error) {
      this.keySays = `Not kept: ${error.message}`;
    }
  },
  oursAgain() {
    this.changing = "";
    return this.give(this.table.map((act) => [act, act.ours]));
  },
}));
