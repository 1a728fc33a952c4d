// Rows in another order: their handles are dragged, or moved with the arrow keys.

import { Component } from "./component.js";
import { follow } from "./drag.js";

/** The place of a dragged row among others: before the first whose middle lies below the pointer. Pure. */
export function placeUnder(y, middles) {
  const under = middles.findIndex((middle) => y < middle);
  return under < 0 ? middles.length : under;
}

const middleOf = (row) => {
  const { top, height } = row.getBoundingClientRect();
  return top + height / 2;
};
const listOf = (row) => row.dataset.path.replace(/\.\d+$/, "");
const rowsBeside = (row) => [...row.parentElement.querySelectorAll("[data-ordered]")].filter((other) => listOf(other) === listOf(row));
const rowOf = (element) => element.closest("[data-ordered]");

/** A row hears that it goes to another place. */
const move = (row, to) => row.dispatchEvent(new CustomEvent("ft:order", { bubbles: true, detail: to }));

/**
 * Lets the rows of every list inside its root be put in order: those marked data-ordered, whose data-path is a list and a
 * place in it. A row hears 'ft:order' with the place that it goes to.
 */
export class Order extends Component {
  /** @param {any} root @param {AbortSignal} signal */
  constructor(root, signal) {
    super(root, signal);
    this.on(root, "pointerdown", (down) => this.#take(down));
    this.on(root, "keydown", (event) => this.#step(event));
  }

  #take(down) {
    const handle = down.target.closest("[data-handle]");
    if (!handle || down.button !== 0) return;
    down.preventDefault();
    handle.focus();
    const row = rowOf(handle);
    const all = rowsBeside(row);
    const from = all.indexOf(row);
    const others = all.filter((other) => other !== row);
    let to = from;
    const clear = () => all.forEach((one) => ["held", "drop"].forEach((name) => delete one.dataset[name]));
    const drag = ({ clientY }) => {
      clear();
      to = placeUnder(clientY, others.map(middleOf));
      row.dataset.held = "";
      if (to !== from) (others[to] ?? others.at(-1)).dataset.drop = others[to] ? "before" : "after";
    };
    const end = ({ type }) => {
      clear();
      if (type === "pointerup" && to !== from) move(row, to);
    };
    follow(down, handle, { move: drag, end, signal: this.signal });
  }

  #step(event) {
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
  }
}
