// The matte: white on black.

export const matte = {
  id: "matte", act: "matte", label: "matte", hint: "2", key: "2", says: "The matte", needsMatte: true,

  paint(stage, pen, alpha) {
    pen.fillStyle = "#000";
    pen.fillRect(...stage.rect());
    if (alpha) pen.drawImage(alpha, ...stage.rect());
  },
};
