// The cut-out: the plate's picture through the matte, on a ground of choice.

const GROUNDS = { checker: "#5f5f5f", black: "#000", white: "#fff", grey: "#777", clip: "#777" };
const CHECK = 12; // screen px

function checker(stage, pen) {
  const [x, y, w, h] = stage.rect();
  pen.save();
  pen.beginPath();
  pen.rect(x, y, w, h);
  pen.clip();
  pen.fillStyle = "#8e8e8e";
  for (let j = 0; j * CHECK < h; j++) {
    for (let i = j % 2; i * CHECK < w; i += 2) pen.fillRect(x + i * CHECK, y + j * CHECK, CHECK, CHECK);
  }
  pen.restore();
}

function clip(stage, pen) {
  const picture = stage.clips?.now;
  if (!picture) return;
  const [x, y, w, h] = stage.rect();
  const k = Math.max(w / picture.width, h / picture.height); // it fills the frame; what juts out is cut off
  const [across, down] = [w / k, h / k];
  pen.drawImage(picture, (picture.width - across) / 2, (picture.height - down) / 2, across, down, x, y, w, h);
}

export const cutOut = {
  id: "cut-out", act: "cut-out-on-ground", label: "cut-out", hint: "4", key: "4", says: "The cut-out on a ground of choice", needsMatte: true,
  hidesPlate: true,

  paintGround(stage, pen) {
    const { ground } = stage.store.view;
    pen.fillStyle = GROUNDS[ground] || ground;
    pen.fillRect(...stage.rect());
    if (ground === "clip") clip(stage, pen);
    if (ground === "checker") checker(stage, pen);
  },

  paint(stage, pen, alpha) {
    const { store, view } = stage;
    const picture = stage.plates.best(store.view.frame, stage.wantsFull);
    if (alpha && picture) {
      pen.drawImage(alpha, ...stage.rect());
      pen.globalCompositeOperation = "source-in";
      pen.imageSmoothingEnabled = !stage.wantsFull;
      pen.drawImage(picture, ...stage.rect());
      pen.globalCompositeOperation = "source-atop"; // hair in its own colour, not that of the ground behind it
      const own = stage.fringes?.colours;
      for (const { box, bitmap } of own?.frame === store.view.frame ? own.pieces : []) {
        pen.drawImage(bitmap, box[0] * view.scale + view.x, box[1] * view.scale + view.y, bitmap.width * view.scale, bitmap.height * view.scale);
      }
      pen.globalCompositeOperation = "source-over";
    }
    if (stage.wiping) stage.behind(pen, () => this.paintGround(stage, pen));
  },
};
