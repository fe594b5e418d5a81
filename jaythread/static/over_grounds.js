// A matte laid over grounds on a canvas: the subject alone over a plain one, a checkerboard, its own plate, or with a tint.

const SQUARE = 16; // px of a checkerboard
const TINT = "rgba(214, 122, 36, 0.55)";

export function image(src) {
  return new Promise((done) => {
    const it = new Image();
    it.onload = () => done(it);
    it.onerror = () => done(null);
    it.src = src;
  });
}

// What lies below: a colour, "checker", or "plate", which is its own plate, pale.
export function lay(pen, ground, plate) {
  const { width, height } = pen.canvas;
  pen.globalAlpha = 1;
  if (ground === "plate") {
    pen.fillStyle = "#777";
    pen.fillRect(0, 0, width, height);
    pen.globalAlpha = 0.35;
    pen.drawImage(plate, 0, 0, width, height);
    pen.globalAlpha = 1;
    return;
  }
  pen.fillStyle = ground === "checker" ? "#9a9a9a" : ground;
  pen.fillRect(0, 0, width, height);
  if (ground !== "checker") return;
  pen.fillStyle = "#6e6e6e";
  for (let y = 0; y < height; y += SQUARE) for (let x = (y / SQUARE) % 2 ? SQUARE : 0; x < width; x += 2 * SQUARE) pen.fillRect(x, y, SQUARE, SQUARE);
}

// Where the matte is, the plate, or a colour instead of it: its grey becomes alpha.
export function cut(matte, plate, width, height, flip = false) {
  const canvas = new OffscreenCanvas(width, height);
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  pen.drawImage(matte, 0, 0, width, height);
  const pixels = pen.getImageData(0, 0, width, height);
  for (let i = 0; i < pixels.data.length; i += 4) pixels.data[i + 3] = flip ? 255 - pixels.data[i] : pixels.data[i];
  pen.putImageData(pixels, 0, 0);
  pen.globalCompositeOperation = "source-in";
  if (typeof plate === "string") {
    pen.fillStyle = plate;
    pen.fillRect(0, 0, width, height);
  } else pen.drawImage(plate, 0, 0, width, height);
  return canvas;
}

// One of the ways: matte, tint, cut-out over a ground, plate. What is not there yet is passed over.
export function show(pen, way, ground, matte, plate) {
  const { width, height } = pen.canvas;
  pen.fillStyle = "#777";
  pen.fillRect(0, 0, width, height);
  if (way === "matte" || !plate) {
    if (matte) pen.drawImage(matte, 0, 0, width, height);
    return;
  }
  if (way === "cut-out" && matte) {
    lay(pen, ground, plate);
    pen.drawImage(cut(matte, plate, width, height), 0, 0);
    return;
  }
  pen.drawImage(plate, 0, 0, width, height);
  if (way === "tint" && matte) pen.drawImage(cut(matte, TINT, width, height), 0, 0);
}
