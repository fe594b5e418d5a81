// The keys of a tryout's page, and whether something is being typed.

const typing = (el) => el?.matches?.("input:not([type=range]):not([type=checkbox]):not([type=color]), textarea, select");

/** @param {any} page the component of the page */
export function listen(page) {
  const keys = {
    ArrowLeft: () => page.go(page.frame - 1), ArrowRight: () => page.go(page.frame + 1), Home: () => page.go(page.first), End: () => page.go(page.last),
    g: () => page.toggle(), f: () => page.picture.fit(), F: () => page.picture.exact(), d: () => page.held("without"), b: () => page.held("bright"), "\\": () => page.wipe(true),
    Delete: () => page.keyHere && page.dropKey(),
  };
  addEventListener("keydown", (e) => {
    const here = document.activeElement;
    const steps = /^Arrow(Left|Right)$|^Home$|^End$/.test(e.key);
    if (typing(here) && !(steps && here.matches("input[type=number], select"))) return;
    if (e.ctrlKey && e.key.toLowerCase() === "z") {
      e.preventDefault();
      return e.shiftKey ? page.doAgain() : page.takeBack();
    }
    if (e.ctrlKey || e.altKey || e.metaKey || !keys[e.key]) return;
    e.preventDefault();
    keys[e.key]();
  });
  addEventListener("input", (e) => (page.typing = typing(e.target)));
  for (const end of ["change", "focusout"]) addEventListener(end, () => (page.typing = false));
  addEventListener("keyup", (e) => {
    if (e.key === "d" || e.key === "b") page.held(null);
    if (e.key === "\\") page.wipe(false);
  });
}
