// The tree of the parts: found, folded, walked through and selected from.

import { Component } from "./component.js";
import { focused } from "./dom.js";
import { selection } from "./selection.js";

const FIND_MS = 180;

export class Tree extends Component {
  #typing = 0;
  typed = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ renew: () => any, pick: (part: string, event: any, rows: string[] | null) => any }} how
   *   renew() asks the server for the tree anew; pick(part, event, rows) hears of a part that is picked, among the shown rows */
  constructor(root, signal, { renew, pick }) {
    super(root, signal);
    this.pick = pick;
    this.on(root, "input", ({ target }) => {
      if (target.id !== "find-part") return;
      this.typed = target.value;
      clearTimeout(this.#typing);
      this.#typing = setTimeout(renew, FIND_MS);
    });
    this.on(root, "click", (event) => this.#pressed(event));
    this.on(root, "keydown", (event) => event.target.closest("#tree") && this.#walk(event));
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
