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
  const row = held && rowAround(place, held);
  if (held) replaceAround(held, place, content, Boolean(row));
  else place.replaceChildren(content);
  for (const one of staying) place.querySelector(`#${CSS.escape(one.id)}`)?.replaceWith(one);
  for (const [id, open] of folds) byId(id)?.toggleAttribute("open", open);
  for (const [id, top] of scrolled) {
    const list = byId(id);
    if (list) list.scrollTop = top;
  }
  if (held?.id) refocus(held, row ? inRow(place, held, row) : byId(held.id));
}

/** Put new content where what has the focus lies: being taken away it is not left, nor changed if it is typed on in the new. */
function replaceAround(held, place, content, isInRow) {
  const scope = new AbortController();
  held.dataset.leaving = "";
  if (isInRow || (held.id && content.querySelector(`#${CSS.escape(held.id)}`)))
    place.addEventListener("change", (event) => event.stopPropagation(), { capture: true, signal: scope.signal });
  place.replaceChildren(content);
  scope.abort();
  delete held.dataset.leaving;
}

/**
 * Where a row of a list is, once others came or went: the nearest that is as it was. In a list that is as long as before, one
 * that was like it already is another: there a row was moved, or else changed where it stands. Pure.
 * @param {string[]} before what is in each row
 * @param {string[]} now the same, later
 * @param {number} at which row
 * @returns {number | null} its place now; null where it is gone
 */
export function rowNow(before, now, at) {
  const isAsLong = before.length === now.length;
  const isOther = (place) => isAsLong && place !== at && now[place] === before[place];
  const same = [...now.keys()].filter((place) => now[place] === before[at] && !isOther(place));
  if (same.length) return same.reduce((best, place) => (Math.abs(place - at) < Math.abs(best - at) ? place : best));
  return isAsLong ? at : null;
}

const IN_LIST = /^(.*?)\.(\d+)(\..*)?$/;

/** The list that a field lies in, the place of its row, and where in that it is; null where it is in none. */
function rowAround(place, field) {
  const [, list, at, inside] = field.dataset.path?.match(IN_LIST) ?? [];
  return list === undefined ? null : { list, at: Number(at), inside: inside ?? "", before: rowsOf(place, list) };
}

/** What is in each row of a list, as the server drew it. */
function rowsOf(place, list) {
  const rows = [];
  for (const one of place.querySelectorAll(`[data-path^="${list}."]`)) {
    const [, , at, inside] = one.dataset.path.match(IN_LIST) ?? [];
    const drawn = one.querySelector("option[selected]")?.value ?? one.defaultValue ?? "";
    rows[at] = `${rows[at] ?? ""}${inside ?? ""}=${drawn}${one.defaultChecked ?? ""} `;
  }
  return rows;
}

/** The field of a row that came in the place of one that had the focus; null where that row is gone. */
function inRow(place, held, { list, at, inside, before }) {
  const now = rowNow(before, rowsOf(place, list), at);
  return now === at ? byId(held.id) : now === null ? null : place.querySelector(`${held.tagName}[data-path="${list}.${now}${inside}"]`);
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
