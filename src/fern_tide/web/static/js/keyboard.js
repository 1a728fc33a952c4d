// Keys of the whole application. Fields keep their own keys.

import { byId, first, onPage } from "./dom.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { taps } from "./taps.js";
import { transport } from "./transport.js";

const ROOMS = { 1: "sound", 2: "stage", 3: "bench", 4: "hand-off" };

/** Whether a key press belongs to what has the focus. Pure but for the element. */
export const isTyping = (element) => Boolean(element?.closest?.("input:not([type=checkbox]), select, textarea, [contenteditable]"));

/** Whether Space presses what has the focus: it does when the keyboard brought the focus there, not after a click. */
const pressesIt = (element) => element.matches("input[type=checkbox]:focus-visible, button:focus-visible, a:focus-visible");

const withCommand = ({ key, shiftKey }) => key.toLowerCase() === "z" && (shiftKey ? () => project.redo() : () => project.undo());

function plain({ key, shiftKey, altKey }) {
  if (altKey || first("dialog[open]")) return null;
  return (shiftKey ? SHIFTED[key] : undefined) ?? KEYS[key] ?? KEYS[key.toLowerCase()];
}

export function mountKeyboard(view) {
  onPage("keydown", (event) => {
    if (event.defaultPrevented || isTyping(event.target)) return;
    const run = event.ctrlKey || event.metaKey ? withCommand(event) : plain(event);
    if (!run || (event.key === " " && pressesIt(event.target))) return;
    event.preventDefault();
    run(view);
  });
}

const room = (number) => first(`#rooms a[href$="/${ROOMS[number]}"]`)?.click();

const toBeat = (direction) => {
  const frame = rhythm.beatFrom(transport.frame, direction);
  if (frame !== null) transport.seek(frame);
};

/** Set a marker at the playhead. */
export const setMarker = () => project.edit({ kind: "add_marker", time_s: (transport.frame * transport.rate[1]) / transport.rate[0] });

const SHIFTED = { ArrowLeft: () => toBeat(-1), ArrowRight: () => toBeat(1) };

const KEYS = {
  " ": () => transport.toggle(),
  ArrowLeft: () => transport.seek(transport.frame - 1),
  ArrowRight: () => transport.seek(transport.frame + 1),
  Home: () => transport.seek(0),
  End: () => transport.seek(transport.last),
  l: () => transport.loop(),
  b: () => project.bake(),
  m: () => setMarker(),
  t: () => taps.tap(),
  v: ({ nextVersion }) => nextVersion(),
  1: () => room(1),
  2: () => room(2),
  3: () => room(3),
  4: () => room(4),
  "+": ({ zoom }) => zoom(0.7),
  "=": ({ zoom }) => zoom(0.7),
  "-": ({ zoom }) => zoom(1 / 0.7),
  "?": () => byId("keys").showModal(),
};
