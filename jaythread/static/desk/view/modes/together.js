// All mattes of the shot over the plate, each as a tint of its own, with their names.

import { COLOURS } from "../../glyphs/outlines.js";

export const together = {
  id: "together", act: "all-mattes-together", label: "all mattes", hint: "7", key: "7", says: "All mattes of the shot at once, each in a colour of its own", needsMatte: true,

  /** @param {import("../stage.js").Stage} stage @param {CanvasRenderingContext2D} pen */
  paint(stage, pen) {
    const { width, height } = pen.canvas;
    const { strength } = stage.store.view.display;
    const mattes = stage.store.document.mattes.filter((m) => m.stack.length);
    mattes.forEach((m, k) => {
      const alpha = stage.mattes.of(m.id);
      if (!alpha) return;
      const layer = new OffscreenCanvas(width, height);
      const over = layer.getContext("2d");
      over.setTransform(pen.getTransform());
      over.imageSmoothingEnabled = pen.imageSmoothingEnabled;
      over.drawImage(alpha, ...stage.rect());
      over.globalCompositeOperation = "source-in";
      over.fillStyle = COLOURS[k % COLOURS.length];
      over.fillRect(0, 0, ...stage.size);
      pen.globalAlpha = strength;
      pen.drawImage(layer, 0, 0, ...stage.size);
      pen.globalAlpha = 1;
    });
    this.names(stage, pen, mattes);
  },

  names(stage, pen, mattes) {
    pen.font = "13px Next, sans-serif";
    pen.textAlign = "left";
    mattes.forEach((m, k) => {
      const y = 62 + k * 24;
      const wide = pen.measureText(m.name).width;
      pen.fillStyle = "rgba(243, 238, 226, 0.95)";
      pen.beginPath();
      pen.roundRect(12, y - 11, wide + 36, 22, 8);
      pen.fill();
      pen.fillStyle = COLOURS[k % COLOURS.length];
      pen.fillRect(20, y - 2, 12, 4);
      pen.fillStyle = "#26343f";
      pen.fillText(m.name, 38, y + 4.5);
    });
  },
};
