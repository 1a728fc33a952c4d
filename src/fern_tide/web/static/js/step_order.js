// Steps in another order: their handles are dragged, or moved with the arrow keys.

import { atPlace } from "./lists.js";

/** The place of a dragged row among others: before the first whose middle lies below the pointer. Pure. */
export function placeUnder(y, middles) {
  const found = middles.findIndex((middle) => y < middle);
  return found < 0 ? middles.length : found;
}

/** Let the rows of a list be put in order; onOrder(from, to) hears of it. */
export function mountOrder(list, { onOrder, signal }) {
  const rows = () => [...list.querySelectorAll("[data-ordered]")];
  const clear = () => rows().forEach((row) => ["held", "drop"].forEach((name) => delete row.dataset[name]));

  list.addEventListener(
    "pointerdown",
    (down) => {
      const handle = down.target.closest("[data-handle]");
      if (!handle || down.button !== 0) return;
      down.preventDefault();
      handle.focus();
      handle.setPointerCapture(down.pointerId);
      const all = rows();
      const from = all.indexOf(handle.closest("[data-ordered]"));
      let to = from;
      const drag = new AbortController();
      const options = { signal: AbortSignal.any([signal, drag.signal]) };
      handle.addEventListener(
        "pointermove",
        ({ clientY }) => {
          clear();
          const others = all.filter((_, place) => place !== from);
          to = placeUnder(clientY, others.map((row) => row.getBoundingClientRect()).map(({ top, height }) => top + height / 2));
          all[from].dataset.held = "";
          if (to !== from) (others[to] ?? others.at(-1)).dataset.drop = others[to] ? "before" : "after";
        },
        options,
      );
      for (const type of ["pointerup", "pointercancel"]) {
        handle.addEventListener(
          type,
          () => {
            drag.abort();
            clear();
            if (type === "pointerup" && to !== from) onOrder(from, to);
          },
          options,
        );
      }
    },
    { signal },
  );
  list.addEventListener(
    "keydown",
    (event) => {
      const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!way || !event.target.closest("[data-handle]")) return;
      event.preventDefault();
      event.stopPropagation();
      const from = rows().indexOf(event.target.closest("[data-ordered]"));
      const to = from + way;
      if (to >= 0 && to < rows().length) onOrder(from, to);
    },
    { signal },
  );
}

/** A mapping with one of its steps at another place. Pure. */
export const reordered = (mapping, from, to) => ({ ...mapping, steps: atPlace(mapping.steps, from, to) });
