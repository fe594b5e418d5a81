// How the parts of the page are made: each is an Alpine component with a template of its own. All of them are brought up to date together.

const parts = [];

// make: gives a component. Its `connected(desk)` is called when the desk is there, its `sync()` whenever something has changed.
export function part(make) {
  return () => {
    const it = make();
    it.init = function init() {
      // of its own only: within the page a part sees what the whole has as well
      parts.push({ connected: it.connected?.bind(this), sync: it.sync?.bind(this) });
    };
    return it;
  };
}

export function connectAll(desk) {
  for (const one of parts) one.connected?.(desk);
}

export function syncAll() {
  for (const one of parts) one.sync?.();
}

/** @param {string} id @returns {HTMLDialogElement} */
export function dialog(id) {
  return /** @type {HTMLDialogElement} */ (document.getElementById(id));
}

// A number from a field, or null when it holds none.
export function figure(event) {
  const value = Number(event.target.value);
  return event.target.value === "" || !Number.isFinite(value) ? null : value;
}
