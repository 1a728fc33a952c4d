// Whether a pointer is pressed: what the hand holds must not be taken away by a page that is drawn anew.

let pressed = false;
let waiting = [];

function released() {
  pressed = false;
  const now = waiting;
  waiting = [];
  now.forEach((go) => go());
}

const DRAGGED = "canvas, [data-number], [data-try], .tidemark, .bender, [data-handle], [data-grip]"; // what can be dragged
document.addEventListener("pointerdown", ({ target }) => (pressed = target.closest(DRAGGED) !== null), { capture: true });
for (const type of ["pointerup", "pointercancel"]) document.addEventListener(type, () => setTimeout(released), { capture: true });
document.addEventListener("pointermove", ({ buttons }) => pressed && buttons === 0 && released(), { capture: true }); // let go outside the window

/** Wait until no pointer is pressed. */
export const letGo = () => (pressed ? new Promise((go) => waiting.push(go)) : Promise.resolve());
