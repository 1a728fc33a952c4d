// Whether a pointer is pressed: what the hand holds must not be taken away by a page that is drawn anew.

import { onPage } from "./dom.js";

let pressed = null;
let waiting = [];

function released() {
  pressed = null;
  const now = waiting;
  waiting = [];
  now.forEach((go) => go());
}

const HELD = "button, a[href], canvas, [data-number], [data-try], .tidemark, .bender, [data-handle], [data-grip]"; // what is pressed or dragged
/** @param {any} event */
const press = ({ target }) => (pressed = target.closest(HELD));
onPage("pointerdown", press, { capture: true });
for (const type of ["pointerup", "pointercancel"]) onPage(type, () => setTimeout(released), { capture: true });
onPage("pointermove", ({ buttons }) => pressed && buttons === 0 && released(), { capture: true }); // let go outside the window

/** Whether something is held that lies in a place. */
export const isHeldIn = (place) => pressed !== null && place.contains(pressed);

/** Do something when nothing is held: at once, or when the hand lets go. */
export function whenFree(run) {
  if (pressed) waiting.push(run);
  else run();
}
