// Where typing goes.

const TRIES = 60; // pictures of the screen

// Put it into a field that is being shown: a field that is hidden still takes no focus, and how soon it shows is not ours to say.
/** @param {HTMLElement} field @param {number} tries */
export function focusWhenShown(field, tries = TRIES) {
  field.focus();
  if (document.activeElement !== field && tries > 0) requestAnimationFrame(() => focusWhenShown(field, tries - 1));
}
