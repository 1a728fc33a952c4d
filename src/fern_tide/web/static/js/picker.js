// The picker of properties: it opens under the hand; what is picked goes to the button that opened it, which carries what
// is to be done with it (bound.js). The server finds and draws its lines.

import { Component } from "./component.js";
import { byId, first, focused } from "./dom.js";
import { project } from "./project.js";

const GAP = 4;
const MOST_RECENT = 5;
const SETTLE_MS = 90;
const TYPING_MS = 260; // what is typed is found first, and then shown

/** Where a box of a size opens for an anchor box, below it or above it, inside a window. Pure. */
export function placeFor({ left, top, bottom }, { width, height }, window) {
  const x = Math.max(GAP, Math.min(left, window.width - width - GAP));
  const below = bottom + GAP + height <= window.height;
  const y = below ? bottom + GAP : Math.max(GAP, Math.min(top - GAP - height, window.height - height - GAP));
  return { x, y };
}

/** The next line that is chosen from a number of lines, round and round. Pure. */
export const nextLine = (at, by, count) => (count ? (at + by + count) % count : -1);

export class Picker extends Component {
  #opener = null;
  #part = "";
  #at = 0;
  #tries = false;
  #settling = 0;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ peek?: (body: any) => any }} [how] peek(body) shows what picking would do without storing it, and null what is stored
   */
  constructor(root, signal, { peek = () => {} } = {}) {
    super(root, signal);
    this.peek = peek;
    this.field = this.find("#picker-find");
    this.list = this.find("#picker-rows");
    this.picture = this.find("#picker-picture");
    this.on(document, "click", (event) => this.#pressed(event));
    this.on(root, "htmx:configRequest", ({ detail }) => Object.assign(detail.parameters, { part: this.#part, recent: this.#recent.join(",") }));
    this.on(root, "htmx:afterSwap", () => this.#choose(0, { tries: false }));
    this.on(root, "click", ({ target }) => this.#clicked(target.closest("button")));
    this.on(root, "pointermove", ({ target }) => this.#point(target.closest?.(".picker-row")));
    this.on(root, "keydown", (event) => this.#key(event));
    this.on(root, "focusout", ({ relatedTarget }) => relatedTarget && !root.contains(relatedTarget) && this.close({ refocus: false }));
    this.signal.addEventListener("abort", () => this.close({ refocus: false }));
  }

  /** The button that opened it, or what stands in its place since the page was drawn anew. */
  get #live() {
    const { isConnected, id, dataset } = this.#opener;
    return isConnected ? this.#opener : id ? byId(id) : first(`[data-picks][data-send="${CSS.escape(dataset.send)}"]`);
  }

  get #rows() {
    return this.all(".picker-row");
  }

  get #place() {
    return `ft:${project.key}:picked`;
  }

  get #recent() {
    return JSON.parse(sessionStorage.getItem(this.#place) ?? "[]");
  }

  /** Open for a button, where it is or at a point; of one part only, if that is said. */
  open(opener, { at = null, part = "" } = {}) {
    this.#opener = opener;
    this.#part = part;
    this.field.value = "";
    this.list.replaceChildren();
    this.root.hidden = false;
    const box = at ? { left: at.x, top: at.y, bottom: at.y } : opener.getBoundingClientRect();
    const { x, y } = placeFor(box, this.root.getBoundingClientRect(), { width: innerWidth, height: innerHeight });
    this.root.style.transform = `translate(${x}px, ${y}px)`;
    opener.setAttribute("aria-expanded", "true");
    this.field.focus({ preventScroll: true });
    this.#renew();
  }

  close({ refocus = true } = {}) {
    if (this.root.hidden) return;
    clearTimeout(this.#settling);
    this.root.hidden = true;
    this.peek(null);
    const opener = this.#opener && this.#live;
    opener?.setAttribute("aria-expanded", "false");
    if (refocus) opener?.focus({ preventScroll: true });
  }

  #renew() {
    this.field.dispatchEvent(new CustomEvent("ft:renew"));
  }

  /** A button that picks opens it, and closes it again; a press beside it closes it. */
  #pressed({ target }) {
    const opener = target.closest?.("[data-picks]");
    if (opener) {
      const again = !this.root.hidden && this.#live === opener;
      this.close({ refocus: false });
      if (!again) this.open(opener);
    } else if (!this.root.hidden && !this.root.contains(target) && !target.closest?.("[data-stage-pick]")) this.close({ refocus: false });
  }

  #clicked(button) {
    if (!button) return;
    if (button.matches("[data-close]")) this.close();
    else this.#take(button);
  }

  /** Open a part, go back to all, or pick a property. */
  #take(row) {
    const { target, open, back } = row.dataset;
    if (target) {
      sessionStorage.setItem(this.#place, JSON.stringify([target, ...this.#recent.filter((one) => one !== target)].slice(0, MOST_RECENT)));
      const opener = this.#live;
      this.close();
      opener?.dispatchEvent(new CustomEvent("ft:set", { detail: target, bubbles: true }));
      return;
    }
    this.#part = back === undefined ? open : "";
    this.field.value = "";
    this.field.focus({ preventScroll: true });
    this.#renew();
  }

  #point(row) {
    const at = row ? this.#rows.indexOf(row) : -1;
    if (at >= 0 && (at !== this.#at || !this.#tries)) this.#choose(at, { scrolls: false });
  }

  /** Let a line be the chosen one; after a moment it is tried on the stage, and its part is shown beside it. */
  #choose(at, { scrolls = true, tries = true } = {}) {
    const rows = this.#rows;
    this.#at = rows[0]?.matches(".picker-back") && at === 0 && rows.length > 1 ? 1 : at;
    this.#tries = tries;
    rows.forEach((row, place) => row.setAttribute("aria-selected", String(place === this.#at)));
    const row = rows[this.#at];
    if (!row) return;
    row.id ||= `picker-row-${this.#at}`;
    this.field.setAttribute("aria-activedescendant", row.id);
    if (scrolls) row.scrollIntoView({ block: "nearest" });
    clearTimeout(this.#settling);
    this.#settling = setTimeout(() => this.#look(row, tries), tries ? SETTLE_MS : TYPING_MS);
  }

  #look(row, tries) {
    if (this.root.hidden || !row.isConnected) return;
    const { part, target } = row.dataset;
    this.picture.hidden = !part;
    const address = part ? project.url(`parts/${part}/picture.svg`) : "";
    if (part && this.picture.getAttribute("src") !== address) this.picture.src = address;
    if (!tries || !this.#opener) return;
    const asked = this.#opener.dataset.tries;
    this.peek(target && asked ? { aim: { ...JSON.parse(asked), target } } : null);
  }

  #key(event) {
    const { key } = event;
    const row = this.#rows[this.#at];
    const acts = {
      ArrowDown: () => this.#choose(nextLine(this.#at, 1, this.#rows.length)),
      ArrowUp: () => this.#choose(nextLine(this.#at, -1, this.#rows.length)),
      Enter: () => row && this.#take(row),
      Escape: () => this.close(),
      ArrowRight: () => row?.dataset.open !== undefined && this.#atEnd && this.#take(row),
      ArrowLeft: () => this.#part && this.field.selectionStart === 0 && this.#take(this.find("[data-back]")),
    };
    if (!acts[key] || (focused() !== this.field && key === "Enter")) return;
    const done = acts[key]();
    if (done === false) return;
    event.stopPropagation();
    if (key !== "ArrowLeft" && key !== "ArrowRight") event.preventDefault();
  }

  get #atEnd() {
    return this.field.selectionStart === this.field.value.length;
  }
}
