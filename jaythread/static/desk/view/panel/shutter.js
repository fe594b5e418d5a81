// The shot's shutter: by its angle, by the camera's time, or as the plate shows it.

import { get } from "../../net/api.js";
import { edit } from "../../net/commands.js";
import { part } from "./component.js";

export const shutter = part(() => ({
  angle: 180, centred: true, phase: 0, read: null,

  sync() {
    const now = this.desk.store.document.shutter;
    this.angle = now.angle;
    this.centred = now.phase === null;
    this.phase = now.phase ?? -now.angle / 2;
  },
  set(angle) {
    this.send(edit.shutter({ angle, phase: this.centred ? null : this.phase }));
  },
  setAngle(event) {
    this.set(Math.min(360, Math.max(0, Number(event.target.value) || 0)));
  },
  setCentred(event) {
    this.send(edit.shutter({ angle: this.angle, phase: event.target.checked ? null : -this.angle / 2 }));
  },
  setPhase(event) {
    this.send(edit.shutter({ angle: this.angle, phase: Math.min(360, Math.max(-360, Number(event.target.value) || 0)) }));
  },
  get exposure() {
    const seconds = this.angle / 360 / (this.desk?.store.document.shot.rate || 24);
    return seconds ? `1/${Math.round(1 / seconds)} s` : "none";
  },
  // The shutter by the camera's time: "1/50" or seconds.
  setExposure(event) {
    const [one, other = 1] = event.target.value.split("/").map(Number);
    const seconds = one / other;
    const angle = Math.round(seconds * this.desk.store.document.shot.rate * 3600) / 10;
    if (!(seconds >= 0) || angle > 360) this.tell(`Type the camera's shutter time, for example 1/50: at ${this.rate} frames a second it is 1/${this.rate} s at the longest.`);
    else this.set(angle);
    event.target.value = this.exposure;
  },
  async readPlate() {
    const { document, selection } = this.desk.store;
    if (!selection.shape) return;
    try {
      this.tell("Reading the plate where the shape moves fastest ...");
      this.read = await get(`/shots/${document.shot.id}/shapes/${selection.shape.id}/shutter`);
      this.bye();
    } catch (error) {
      this.read = null;
      this.tell(error.message);
    }
  },
  takeRead() {
    this.set(this.read.angle);
    this.read = null;
  },
  leaveRead() {
    this.read = null;
  },
}));
