// The pictures of a package: played at their rate over grounds, or all of them on a sheet.

import { cut, image, lay } from "./over_grounds.js";

document.addEventListener("alpine:init", () => {
  const GROUNDS = { matte: "nothing: the matte itself", checker: "a checkerboard", "#000": "black", "#fff": "white", "#808080": "grey", "#7d4f96": "violet", plate: "its own plate, pale" };
  const MATTES = new Set(["matte", "inverted", "packed", "layers"]); // what is shown of these is grey, or colours that are mattes

  Alpine.data("player", () => ({
    any: false, sheet: false, playing: false, at: 0, last: 0, number: "", ground: "matte", grounds: [], frames: [],

    init() {
      const data = JSON.parse(document.getElementById("player-data").textContent);
      this.data = data;
      this.kept = new Map();
      this.frames = data.pictures.map((picture, at) => ({ at, picture, number: data.numbers[at] })).filter((f) => data.done[f.at]);
      this.any = this.frames.length > 0;
      this.last = Math.max(0, this.frames.length - 1);
      const cuts = MATTES.has(data.content) && data.content !== "packed" && data.content !== "layers" && data.plates.length;
      this.grounds = Object.entries(GROUNDS).filter(([value]) => value === "matte" || cuts).map(([value, says]) => ({ value, says }));
      if (this.any) this.draw();
    },
    pictures(at) {
      const frame = this.frames[at];
      if (!this.kept.has(at)) this.kept.set(at, Promise.all([image(frame.picture), this.data.plates.length ? image(this.data.plates[frame.at]) : null]));
      while (this.kept.size > 240) this.kept.delete(this.kept.keys().next().value);
      return this.kept.get(at);
    },
    async draw() {
      const { at } = this;
      this.number = String(this.frames[at].number);
      const [matte, plate] = await this.pictures(at);
      if (!matte || at !== this.at) return;
      const canvas = document.getElementById("shown");
      const height = Math.round((canvas.width * matte.height) / (matte.width * this.data.aspect));
      if (canvas.height !== height) canvas.height = height;
      const pen = canvas.getContext("2d");
      if (this.ground === "matte" || !plate) return pen.drawImage(matte, 0, 0, canvas.width, height);
      lay(pen, this.ground, plate);
      pen.drawImage(cut(matte, plate, canvas.width, height, this.data.content === "inverted"), 0, 0);
    },
    go(at) {
      this.sheet = false;
      this.at = this.frames.findIndex((f) => f.at === at);
      this.draw();
    },
    seek(event) {
      this.at = Number(event.target.value);
      this.draw();
    },
    asPlayer() {
      this.sheet = false;
      this.draw();
    },
    asSheet() {
      this.sheet = true;
      this.playing = false;
    },
    toggle() {
      this.playing = !this.playing;
      const begun = performance.now();
      const from = this.at;
      const step = async () => {
        if (!this.playing) return;
        const to = (from + Math.floor(((performance.now() - begun) / 1000) * this.data.rate)) % this.frames.length;
        if (to !== this.at) {
          this.at = to;
          for (let ahead = 1; ahead < 8; ahead++) this.pictures((to + ahead) % this.frames.length);
          await this.draw();
        }
        requestAnimationFrame(step);
      };
      if (this.playing) step();
    },
  }));
});
