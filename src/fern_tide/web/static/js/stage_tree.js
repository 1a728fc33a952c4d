// The tree of the parts: found, folded, walked through and selected from.

import { Component } from "./component.js";
import { selection } from "./selection.js";

const FIND_MS = 180;

export class Tree extends Component {
  #typing = 0;
  typed = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ renew: () => any }} how renew() asks the server for the tree anew */
  constructor(root, signal, { renew }) {
    super(root, signal);
    this.on(root, "input", ({ target }) => {
      if (target.id !== "find-part") return;
      this.typed = target.value;
      clearTimeout(this.#typing);
      this.#typing = setTimeout(renew, FIND_MS);
    });
    this.on(root, "click", ({ target }) => this.#pressed(target));
    this.on(root, "keydown", (event) => event.target.closest("#tree") && this.#walk(event));
  }

  #select(part) {
    return selection.set({ part, ...(part === selection.get("part") ? {} : { property: "" }) });
  }

  #pressed(target) {
    const fold = target.closest("[data-fold]");
    const row = target.closest(".tree-row");
    if (fold) this.#fold(fold.dataset.fold);
    else if (row?.dataset.part) this.#select(row.dataset.part);
  }

  #fold(part) {
    const open = selection.get("open");
    selection.set({ open: open.includes(part) ? open.filter((other) => other !== part) : [...open, part] });
  }

  #walk(event) {
    const rows = this.all(".tree-row[data-part]");
    const at = rows.findIndex((row) => row.dataset.part === selection.get("part"));
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
    const fold = { ArrowRight: "false", ArrowLeft: "true" }[event.key];
    if (event.key === "Delete") this.find("#remove-part")?.click();
    else if (rows[to]) this.#select(rows[to].dataset.part);
    else if (fold && rows[at]?.getAttribute("aria-expanded") === fold) this.#fold(rows[at].dataset.part);
    else return;
    this.#walked = true;
    event.preventDefault();
    event.stopPropagation();
  }

  #walked = false;

  /** Let the selected row be seen; the keyboard goes along with it. */
  reveal() {
    const part = selection.get("part");
    const row = this.find(`.tree-row[data-part="${part}"]`);
    row?.scrollIntoView({ block: "nearest" });
    if (this.#walked) this.find(`[data-select="${part}"]`)?.focus();
    this.#walked = false;
  }
}
