// How htmx puts what the server drew anew in its place: the focus, what is being typed, how far lists are scrolled, what
// is folded, files that are being chosen and what waits for an answer of its own stay, and nothing is taken out of the
// hand. An extension: hx-ext="steady", hx-swap="steady".

import { byId, focused } from "./dom.js";
import { isHeldIn, whenFree } from "./hand.js";

/** Put new content into a place. */
export function putSteadily(place, content) {
  const focus = focused();
  const held = focus && place.contains(focus) ? focus : null;
  const scrolled = [...place.querySelectorAll("[id]")].filter(({ scrollTop }) => scrollTop > 0).map(({ id, scrollTop }) => [id, scrollTop]);
  const folds = [...place.querySelectorAll("details[id]")].map(({ id, open }) => [id, open]);
  const staying = [...place.querySelectorAll("input[type=file][id], [id][data-awaits]")];
  if (held) held.dataset.leaving = ""; // so that being taken away does not count as being left
  place.replaceChildren(content);
  for (const one of staying) place.querySelector(`#${CSS.escape(one.id)}`)?.replaceWith(one);
  for (const [id, open] of folds) byId(id)?.toggleAttribute("open", open);
  for (const [id, top] of scrolled) {
    const list = byId(id);
    if (list) list.scrollTop = top;
  }
  if (held?.id) refocus(held, byId(held.id));
}

const isTyped = (field) => field.matches("input:not([type=checkbox]):not([type=color])") && field.value !== (field.dataset.before ?? field.defaultValue);

const isWritten = (field) => field.matches("textarea, input:not([type=checkbox]):not([type=color]):not([type=file]):not([type=range])");

/** Give the focus to what stands in the place of what had it, with what was marked and being typed. */
function refocus(held, same) {
  if (!same || focused() === same) return;
  const { selectionStart, selectionEnd } = held;
  const all = selectionStart === 0 && selectionEnd === held.value?.length;
  same.focus({ preventScroll: true });
  if (same === held) return;
  if (isWritten(same)) same.setSelectionRange(selectionStart, all ? same.value.length : selectionEnd);
  if (!isTyped(held)) return;
  same.value = held.value;
  if (held.getAttribute("aria-invalid") === "true") same.setAttribute("aria-invalid", "true");
  if ("tried" in held.dataset) same.dataset.tried = "";
  same.dataset.before = held.dataset.before ?? "";
  same.setSelectionRange(selectionStart, selectionEnd);
  // the browser takes what was put there for unchanged, and would not tell of it when the field is left
  if (!("number" in same.dataset)) same.addEventListener("blur", () => same.dispatchEvent(new Event("change", { bubbles: true })), { once: true });
}

/** @type {any} */ (window).htmx.defineExtension("steady", {
  isInlineSwap: (style) => style === "steady",
  handleSwap(style, target, fragment) {
    if (style !== "steady") return false;
    putSteadily(target, fragment);
    return [...target.children];
  },
  onEvent(name, { detail, target }) {
    if (name !== "htmx:beforeSwap" || !detail.shouldSwap || !isHeldIn(target)) return true;
    detail.shouldSwap = false; // what is in the hand stays; it is asked for again when the hand lets go
    const asker = detail.requestConfig.elt;
    whenFree(() => asker.dispatchEvent(new CustomEvent("ft:renew")));
    return true;
  },
});
