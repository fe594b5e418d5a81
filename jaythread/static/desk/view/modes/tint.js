// The matte as a colour over the plate.

export const tint = {
  id: "tint", act: "matte-as-tint-over", label: "tint", hint: "3", key: "3", says: "The matte as a tint over the plate", needsMatte: true,

  paint(stage, pen, alpha) {
    if (!alpha) return;
    const { strength, tint: colour } = stage.store.view.display;
    pen.drawImage(alpha, ...stage.rect());
    pen.globalCompositeOperation = "source-in";
    pen.globalAlpha = strength;
    pen.fillStyle = colour;
    pen.fillRect(0, 0, ...stage.size);
    pen.globalCompositeOperation = "source-over";
    pen.globalAlpha = 1;
  },
};
