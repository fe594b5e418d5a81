// New lines of a tryout, as the document has them.

const PLACE = { pivot: null, keys: [], mirror: "", corners: [], swing: null, track: "", how: "move", home: null, blur: false };
const DONE = { opacity: [], blur: 0, blocks: 0, flat: "", exposure: 0, gain: [], saturation: 1, tint: "#c07840", tinted: 0, shadow: null, added: false };
const CLIP = { kind: "clip", shot: "", begin: null, start: null, reversed: false, speed: [], hold: null, beyond: "hold", fit: "fill" };

export const OFFERS = [
  { value: "plate", says: "this shot's plate" }, { value: "clip", says: "another shot's plate" }, { value: "words", says: "words" },
  { value: "colour", says: "a colour, or a passage" }, { value: "bars", says: "bars" }, { value: "light", says: "a band of light" },
  { value: "graphic", says: "a graphic from a file" },
];

// A graphic that was taken in, at its own size where that fits, else as large as fits.
export function graphicLine({ id: file, name, size }, id, page) {
  const fit = size[0] > page.size[0] || size[1] > page.size[1] || /\.svg$/i.test(name) ? "fit" : "own";
  const shows = { kind: "graphic", file, alpha: /\.exr$/i.test(name) ? "premultiplied" : "straight", fit };
  return { id, name: name.slice(0, 60), shows, through: null, place: PLACE, done: DONE, live: null, fade: 0, hidden: false };
}

// page: knows the picture's size, the clips, mattes.
export function newLine(kind, id, page) {
  const [w, h] = page.size;
  const shows = {
    plate: CLIP, clip: { ...CLIP, shot: page.clips[0] || "" },
    words: { kind: "words", text: "SALTMARSH", face: "next", weight: 700, size: Math.round(h / 6), colour: "#f6efe0", outline: 0, outline_colour: "#26343f", spacing: 1.15, align: "middle" },
    colour: { kind: "colour", colour: "#26343f", to: "", turn: 90 }, bars: { kind: "bars", proportion: 2.35, turn: 0, colour: "#000000" },
    light: { kind: "light", one: { at: [w * 0.2, h * 0.4], track: "", point: 0 }, other: { at: [w * 0.8, h * 0.5], track: "", point: 0 }, core: h / 360, glow: h / 20, colour: "#ffd9a0", taper: 0.5 },
  }[kind];
  if (!shows) return null;
  return { id, name: "", shows, through: null, place: PLACE, done: { ...DONE, added: kind === "light" }, live: null, fade: 0, hidden: false };
}
