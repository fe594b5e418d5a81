// The matte put to use: the current tryout, composed by the core. While points are dragged the picture follows as quickly as answers come.

export const inUse = {
  id: "in use", act: "in-use", label: "in use", hint: "8: the current tryout; once more: its seam bright", key: "8", says: "In use: the current tryout of the shot (again: its seam bright)", needsMatte: true,

  /** @param {import("../stage.js").Stage & {inUse?: any}} stage @param {CanvasRenderingContext2D} pen */
  paint(stage, pen) {
    const picture = stage.inUse?.current();
    if (picture) {
      pen.imageSmoothingEnabled = !stage.wantsFull;
      return pen.drawImage(picture, ...stage.rect());
    }
    if (!stage.inUse?.tryout) this.say(stage, pen, "No tryout yet: begin one, by the link above.");
    else if (stage.inUse.trouble) this.say(stage, pen, stage.inUse.trouble);
  },

  say(stage, pen, text) {
    const [x, y, w, h] = stage.rect();
    pen.font = "14px Next, sans-serif";
    const wide = pen.measureText(text).width + 32;
    pen.fillStyle = "rgba(243, 238, 226, 0.95)";
    pen.beginPath();
    pen.roundRect(x + w / 2 - wide / 2, y + h / 2 - 18, wide, 36, 10);
    pen.fill();
    pen.fillStyle = "#26343f";
    pen.textAlign = "center";
    pen.fillText(text, x + w / 2, y + h / 2 + 5);
  },
};
