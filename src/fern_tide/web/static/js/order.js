// Rows in another order: their handles are dragged, or moved with the arrow keys.

/** The place of a dragged row among others: before the first whose middle lies below the pointer. Pure. */
export function placeUnder(y, middles) {
  const found = middles.findIndex((middle) => y < middle);
  return found < 0 ? middles.length : found;
}

/**
 * Let the rows of every list inside root be put in order: those marked data-ordered, whose data-path is a list and a
 * place in it. A row hears 'ft:order' with the place that it goes to.
 */
export function mountOrder(root, { signal }) {
  const rowOf = (element) => element.closest("[data-ordered]");
  const listOf = (row) => row.dataset.path.replace(/\.\d+$/, "");
  const rowsBeside = (row) => [...row.parentElement.querySelectorAll("[data-ordered]")].filter((other) => listOf(other) === listOf(row));
  const move = (row, to) => row.dispatchEvent(new CustomEvent("ft:order", { bubbles: true, detail: to }));

  root.addEventListener(
    "pointerdown",
    (down) => {
      const handle = down.target.closest("[data-handle]");
      if (!handle || down.button !== 0) return;
      down.preventDefault();
      handle.focus();
      handle.setPointerCapture(down.pointerId);
      const row = rowOf(handle);
      const all = rowsBeside(row);
      const clear = () => all.forEach((one) => ["held", "drop"].forEach((name) => delete one.dataset[name]));
      const from = all.indexOf(row);
      let to = from;
      const drag = new AbortController();
      const options = { signal: AbortSignal.any([signal, drag.signal]) };
      handle.addEventListener(
        "pointermove",
        ({ clientY }) => {
          clear();
          const others = all.filter((_, place) => place !== from);
          to = placeUnder(clientY, others.map((one) => one.getBoundingClientRect()).map(({ top, height }) => top + height / 2));
          row.dataset.held = "";
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
            if (type === "pointerup" && to !== from) move(row, to);
          },
          options,
        );
      }
    },
    { signal },
  );
  root.addEventListener(
    "keydown",
    (event) => {
      const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      const handle = event.target.closest("[data-handle]");
      if (!way || !handle) return;
      event.preventDefault();
      event.stopPropagation();
      const row = rowOf(handle);
      const all = rowsBeside(row);
      const to = all.indexOf(row) + way;
      if (!all[to]) return;
      all[to].querySelector("[data-handle]").focus(); // the row will be there, and its handle with it
      move(row, to);
    },
    { signal },
  );
}
