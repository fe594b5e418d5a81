// Two versions of a plate: the one, the other, or what differs, frame by frame.

import { stepping } from "../review/stepping.js";

const HIGH = 40; // px of the tallest bar

document.addEventListener("alpine:init", () => {
  const { Alpine } = window;
  Alpine.data("changes", () => ({
    ...stepping,
    frame: 0, first: 0, last: 0, way: "differs", picture: "", bars: [], onThis: "", trouble: "",
    ways: [["differs", "what differs", "3"], ["before", "before", "1"], ["now", "now", "2"]].map(([way, says, key]) => ({ way, says, key })),

    init() {
      this.shares = JSON.parse(document.getElementById("changes-data").textContent);
      const frames = Object.keys(this.shares).map(Number).sort((a, b) => a - b);
      if (!frames.length) return;
      [this.first, this.last] = [frames[0], frames[frames.length - 1]];
      const most = Math.max(0.01, ...Object.values(this.shares)), wide = 100 / (this.last - this.first + 1);
      this.bars = frames.filter((f) => this.shares[f] > 0).map((f) => ({
        frame: f, style: `left: ${(f - this.first) * wide}%; width: ${Math.max(0.2, wide - 0.1)}%; height: ${Math.round((HIGH * this.shares[f]) / most)}px`,
      }));
      this.go(frames.reduce((worst, f) => (this.shares[f] > this.shares[worst] ? f : worst), frames[0]));
      document.addEventListener("keydown", (event) => this.key(event));
    },
    show(way) {
      this.way = way;
      return this.draw();
    },
    key(event) {
      if (event.target.matches("input, select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
      const way = this.ways.find((w) => w.key === event.key);
      if (way) this.show(way.way);
      else if (event.key === "ArrowLeft" || event.key === "ArrowRight") this.go(this.frame + (event.key === "ArrowLeft" ? -1 : 1));
      else return;
      event.preventDefault();
    },
    draw() {
      const share = this.shares[this.frame];
      this.onThis = share === undefined ? "one version has no such frame" : share ? `${(100 * share).toFixed(1)} % of the picture differs` : "nothing differs on it";
      this.picture = share === undefined ? "" : this.$root.dataset[this.way].replace("/0.", `/${this.frame}.`);
    },
  }));
});
