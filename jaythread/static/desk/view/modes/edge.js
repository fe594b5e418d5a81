// The plate where the matte is neither black nor white, nothing else.

import { grey, recoloured } from "./levels.js";

export const edge = {
  id: "edge", act: "edge-only", label: "edge", hint: "6: the plate where the matte is neither black nor white", key: "6",
  says: "The plate where the matte is neither black nor white, nothing else", needsMatte: true,

  /** @param {import("../stage.js").Stage} stage @param {any} pen @param {any} alpha */
  paint(stage, pen, alpha) {
    grey(stage, pen);
    const picture = alpha && stage.plates.best(stage.store.view.frame, stage.wantsFull);
    if (!picture) return;
    const there = new OffscreenCanvas(pen.canvas.width, pen.canvas.height);
    const at = there.getContext("2d");
    at.setTransform(pen.getTransform());
    at.imageSmoothingEnabled = false;
    at.drawImage(recoloured(alpha, (a) => (a === 0 || a === 255 ? [0, 0, 0, 0] : [0, 0, 0, 255])), ...stage.rect());
    at.globalCompositeOperation = "source-in";
    at.drawImage(picture, ...stage.rect());
    pen.drawImage(there, 0, 0, ...stage.size);
  },
};
