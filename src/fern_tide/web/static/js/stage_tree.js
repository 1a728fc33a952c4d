// The tree of the parts: found, folded, walked through and selected from.

import { Component } from "./component.js";
import { focused } from "./dom.js";
import { selection } from "./selection.js";

const FIND_MS = 180;
const AHEAD = 70; // rows drawn before the first that is seen

/** Which row is to be the first that is drawn, for what is seen of a list; null where all of it is drawn. Pure. */
export function firstToDraw({ top, tall, row }, { before, count, after }) {
  const [first, last] = [Math.floor(top / row), Math.ceil((top + tall) / row)];
  if ((first >= before || !before) && (last <= before + count || !after)) return null;
  return Math.max(0, first - AHEAD);
}

export class Tree extends Component {
  #typing = 0;
  typed = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ renew: () => any, looked: () => any, pick: (part: string, event: any, rows: string[] | null) => any }} how
   *   renew() asks the server for the tree anew; looked() says what is looked at, for the server; pick(part, event, rows) hears of a part that is picked, among the shown rows */
  constructor(root, signal, { renew, looked, pick }) {
    super(root, signal);
    this.pick = pick;
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target.id === "tree" && Object.assign(detail.parameters, looked(), { at: this.#at, reveal: "" }));
    this.on(root, "htmx:afterSwap", ({ target }) => target.id === "tree" && this.mount());
    this.on(root, "scroll", ({ target }) => target.id === "tree" && this.#scrolled(target), { capture: true });
    this.on(root, "input", ({ target }) => {
      if (target.id !== "find-part") return;
      this.typed = target.value;
      clearTimeout(this.#typing);
      this.#typing = setTimeout(renew, FIND_MS);
    });
    this.on(root, "click", (event) => this.#pressed(event));
    this.on(root, "keydown", (event) => event.target.closest("#tree") && this.#walk(event));
  }

  // --- a long tree: only the rows about those that are seen are drawn, with room for the others

  #at = 0;
  #top = 0;
  #reveals = false;

  /** What the server draws of the tree: from which row on, and whether the chosen part's row is among them. */
  get asked() {
    const before = this.find(".tree-space:first-child")?.dataset.rows ?? 0;
    return { at: String(before), reveal: this.#reveals ? "yes" : "" };
  }

  /** What is chosen next is to be seen. */
  willReveal() {
    this.#reveals = true;
  }

  /** The rows were drawn anew. */
  mount() {
    const list = this.find("#tree");
    const row = list?.querySelector(".tree-row")?.offsetHeight;
    if (!row) return;
    for (const space of list.querySelectorAll(".tree-space")) space.style.height = `${space.dataset.rows * row}px`;
    if (this.#reveals) this.reveal();
    else list.scrollTop = this.#top;
    this.#reveals = false;
  }

  #scrolled(list) {
    this.#top = list.scrollTop;
    const rows = list.querySelectorAll(".tree-row[data-part]");
    const [before, after] = ["first", "last"].map((end) => Number(list.querySelector(`.tree-space:${end}-child`)?.dataset.rows ?? 0));
    const seen = { top: list.scrollTop, tall: list.clientHeight, row: rows[0]?.offsetHeight || 27 };
    const at = firstToDraw(seen, { before, count: rows.length, after });
    if (at !== null) this.#draw(at);
  }

  #draw(at) {
    this.#at = at;
    this.find("#tree").dispatchEvent(new CustomEvent("ft:renew"));
  }

  get #rows() {
    return this.all(".tree-row[data-part]").map((row) => row.dataset.part);
  }

  #pressed(event) {
    const { target } = event;
    const fold = target.closest("[data-fold]");
    const row = target.closest(".tree-row");
    if (fold) this.#fold(fold.dataset.fold);
    else if (row?.dataset.part) this.pick(row.dataset.part, event, this.#rows);
  }

  #fold(part) {
    const open = selection.get("open");
    selection.set({ open: open.includes(part) ? open.filter((other) => other !== part) : [...open, part] });
  }

  #walk(event) {
    const rows = this.all(".tree-row[data-part]");
    const has = focused()?.dataset.select ?? selection.get("part");
    const at = rows.findIndex((row) => row.dataset.part === has);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
    const fold = { ArrowRight: "false", ArrowLeft: "true" }[event.key];
    if (event.key === "Delete") this.find("#remove-part")?.click();
    else if (rows[to]) this.#walkTo(rows[to].dataset.part, event);
    else if (fold && rows[at]?.getAttribute("aria-expanded") === fold) this.#fold(rows[at].dataset.part);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  #walked = null;

  /** With Shift all from the one that was chosen to here. */
  #walkTo(part, { shiftKey }) {
    this.#walked = part;
    this.pick(part, { shiftKey }, this.#rows);
  }

  /** Let the selected row be seen; the keyboard goes along with it. */
  reveal() {
    const part = selection.get("part");
    const shown = this.#walked ?? part;
    this.find(`.tree-row[data-part="${shown}"]`)?.scrollIntoView({ block: "nearest" });
    if (this.#walked) this.find(`[data-select="${shown}"]`)?.focus();
    this.#walked = null;
  }
}
