// Levels: what is exactly black, exactly white, or between (ochre), as the core has it; the picture for the screen keeps that apart.

// A matte's canvas with each alpha turned into a colour of its own.
export function recoloured(alpha, colour) {
  const { width, height } = alpha;
  const image = alpha.getContext("2d").getImageData(0, 0, width, height);
  const { data } = image;
  const table = [...Array(256).keys()].map(colour);
  for (let i = 0; i < data.length; i += 4) {
    const c = table[data[i + 3]];
    data[i] = c[0];
    data[i + 1] = c[1];
    data[i + 2] = c[2];
    data[i + 3] = c[3];
  }
  const out = new OffscreenCanvas(width, height);
  out.getContext("2d").putImageData(image, 0, 0);
  return out;
}

export function grey(stage, pen) {
  pen.fillStyle = "#4a4a4a";
  pen.fillRect(...stage.rect());
  pen.imageSmoothingEnabled = false;
}

export const levels = {
  id: "levels", act: "levels", label: "levels", hint: "5: exactly black, exactly white, between (ochre)", key: "5",
  says: "Levels: what is exactly black, exactly white, and anything between", needsMatte: true,

  paint(stage, pen, alpha) {
    grey(stage, pen);
    if (alpha) pen.drawImage(recoloured(alpha, (a) => (a === 0 ? [0, 0, 0, 255] : a === 255 ? [255, 255, 255, 255] : [184, 116, 26, 255])), ...stage.rect());
  },
};
