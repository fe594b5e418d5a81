// Where an artist is at a shot: kept by the browser's tab, for each who signs in there. Coming back, or opening the page again, finds it as it
// was left.

const FIELDS = ["step", "mode", "ground", "stride", "tryout"];

/** @param {string} who @param {import("./store.js").Store} store @param {{scale: number, x: number, y: number, fitted: boolean}} picture how it lies */
export function leave(who, { document, selection, view }, picture) {
  const said = Object.fromEntries(FIELDS.map((name) => [name, view[name]]));
  const chosen = selection.ids.map((id) => [id, [...selection.pointsOf(id)]]);
  sessionStorage.setItem(name(who, document), JSON.stringify({ ...said, frame: view.frame, matte: selection.matte, chosen, picture }));
}

/** Bring all of it back that is still there; the picture's place is given to `lay`.
 *  @param {string} who @param {import("./store.js").Store} store @param {(picture: any) => void} lay */
export function comeBack(who, { document, selection, view }, lay) {
  const said = JSON.parse(sessionStorage.getItem(name(who, document)) || "null");
  if (!said) return;
  for (const name of FIELDS) view.set(name, said[name], true);
  if (document.matte(said.matte)) selection.turnTo(said.matte);
  const there = said.chosen.filter(([id, points]) => points.every((i) => i < (document.shapes.get(id)?.curves.length ?? 0)) && document.shapes.has(id));
  if (there.length) selection.choosePoints(new Map(there.map(([id, points]) => [id, new Set(points)])));
  if (!said.picture.fitted) lay(said.picture);
  view.go(said.frame);
}

const name = (who, document) => `jaythread-desk-${who}-${document.shot.id}`;
