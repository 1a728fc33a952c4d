// What opens over the sheet to choose from: clean-up, steps, responses, recipes, properties to copy to, and why a value is
// so. It blocks nothing. The buttons that open it ask for it by htmx; what is in it edits by itself (bound.js).

import { first, focused } from "./dom.js";
import { Bound, commandOf } from "./bound.js";
import { Component } from "./component.js";
import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { asQuery, selection } from "./selection.js";
import { upload } from "./server.js";
import { transport } from "./transport.js";

const SETTLE_MS = 90;
const STAYS = ["recipes"]; // open after something of it was taken

/** Whether an entry is found by what is typed: every word of it occurs. Pure. */
export const isFound = (words, typed) => typed.toLowerCase().split(/\s+/).every((word) => words.includes(word));

/** What an entry would do, for a preview. */
const bodyOf = (entry) => (entry.dataset.peek ? JSON.parse(entry.dataset.peek) : { command: commandOf(entry) });

export class Drawer extends Component {
  #open = null;
  #wanted = null;
  #opener = null;
  #before = null;
  #settling = 0;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ parts: any, peek: (body: any) => any }} how parts holds the buttons marked data-drawer; peek(body) shows an edit
   *   without storing it, and peek(null) what is stored again
   */
  constructor(root, signal, { parts, peek }) {
    super(root, signal);
    this.parts = parts;
    this.peek = peek;
    new Bound(root, this.signal, { onDone: (_, element) => this.#done(element) });
    this.on(parts, "click", (event) => this.#toggle(event), { capture: true });
    this.on(document, "htmx:configRequest", ({ detail }) => detail.target === root && this.#asked(detail));
    this.on(root, "htmx:beforeSwap", (event) => this.#swaps(event));
    this.on(root, "htmx:afterSwap", ({ target }) => target === root && this.#shown());
    this.on(root, "click", ({ target }) => this.#pressed(target));
    this.on(root, "pointerover focusin", ({ target }) => this.#peek(target.closest?.("[data-pick]")));
    this.on(root, "pointerleave", () => this.peek(null));
    this.on(root, "focusout", ({ target, relatedTarget }) => target.closest?.("[data-pick]") && !root.contains(relatedTarget) && this.peek(null));
    this.on(root, "input", ({ target }) => target.id === "drawer-find" && this.#filter(target.value));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(root, "keydown", (event) => this.#key(event));
    this.on(document, "keydown", (event) => this.#escape(event));
    this.on(transport, "frame", () => this.#later());
  }

  /** A second press of what opened it closes it. */
  #toggle(event) {
    const button = event.target.closest("[data-drawer]");
    if (!button) return;
    this.#opener = button;
    if (this.#open === button.dataset.drawer) {
      event.stopPropagation();
      this.close();
    } else this.peek(null);
  }

  #pressed(target) {
    if (target.closest("[data-close]")) this.close();
    target.closest("[data-forget]")?.parentElement.remove(); // at once, so that nothing points at what is gone
  }

  #asked({ parameters, elt }) {
    this.#wanted = elt.dataset.drawer;
    Object.assign(parameters, { ...asQuery(["mapping", "drive", "envelope"]), frame: transport.frame });
  }

  #swaps({ target, detail }) {
    if (target !== this.root) return;
    if (this.#wanted === null) detail.shouldSwap = false; // it was closed meanwhile
    this.#before = this.#state();
  }

  /** What it looks like now: what is searched, how far it is scrolled, and what has the focus. */
  #state() {
    const held = this.root.contains(focused()) ? focused() : null;
    const focus = held?.id ? `#${held.id}` : held?.dataset.pick ? `[data-pick][data-id="${held.dataset.id}"]` : null;
    return { open: this.root.hidden ? null : this.#open, typed: this.find("#drawer-find")?.value ?? "", top: this.root.scrollTop, focus };
  }

  #shown() {
    const { open, typed, top, focus } = this.#before;
    this.#open = this.#wanted;
    this.root.hidden = false;
    this.#mark();
    const field = this.find("#drawer-find");
    const again = open === this.#open;
    this.root.scrollTop = again ? top : 0;
    if (again && field) {
      field.value = typed;
      this.#filter(typed);
      if (focus) this.find(focus)?.focus({ preventScroll: true });
    } else if (!again) (field ?? this.find("[data-close]")).focus({ preventScroll: true });
  }

  #mark() {
    for (const button of this.parts.querySelectorAll("[data-drawer]")) button.setAttribute("aria-expanded", String(button.dataset.drawer === this.#open));
  }

  close({ refocus = true } = {}) {
    this.#wanted = null;
    if (this.root.hidden) return;
    const was = this.#open;
    this.root.hidden = true;
    this.root.replaceChildren();
    this.#open = null;
    this.peek(null);
    this.#mark();
    if (refocus) (this.parts.querySelector(`[data-drawer="${was}"]`) ?? this.#opener)?.focus();
  }

  /** Draw what is open anew, for another mapping or after an edit. */
  renew() {
    this.#mark();
    const nothing = !selection.get("mapping") && !selection.get("envelope");
    if (nothing) this.close({ refocus: false });
    else if (this.#open && this.#open !== "copy") this.#ask();
  }

  #ask() {
    this.parts.querySelector(`[data-drawer="${this.#open}"]`)?.dispatchEvent(new CustomEvent("ft:renew"));
  }

  #peek(entry) {
    if (entry) this.peek(bodyOf(entry));
  }

  /** Something of it was taken, or taken away. */
  #done(element) {
    this.peek(null);
    if (STAYS.includes(this.#open)) this.#ask();
    else if (element.dataset.pick || element.id === "copy") this.close();
  }

  #filter(typed) {
    let shown = 0;
    for (const entry of this.all("[data-words]")) {
      const fits = isFound(entry.dataset.words, typed);
      (entry.parentElement.matches(".relative") ? entry.parentElement : entry).hidden = !fits;
      shown += fits ? 1 : 0;
    }
    const none = this.find("[data-none]");
    if (none) none.hidden = shown > 0;
  }

  #changed(target) {
    if (target.id === "recipe-file" && target.files.length) {
      this.#take(target.files[0]);
      target.value = ""; // the same one can be chosen again
    }
    const button = this.find("#copy-now");
    if (!button) return;
    const many = this.all("[data-copy]:checked").length;
    button.disabled = !many;
    button.textContent = many ? `Copy to ${many} propert${many === 1 ? "y" : "ies"}` : "Copy";
  }

  /** Take the recipes of a file. */
  async #take(file) {
    const status = await telling(() => project.bring(() => upload(project.url("recipes/files"), file, { onShare: () => {}, signal: this.signal })), { about: file.name });
    if (!status) return;
    await project.came(status);
    const words = `${status.recipes} recipe${status.recipes === 1 ? "" : "s"} came from ${file.name}.`;
    notice(words, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
    this.#ask();
  }

  #key(event) {
    if (event.key !== "Enter" || event.target.id !== "drawer-find") return;
    event.preventDefault(); // or the same press would push the button that has the focus then
    this.find("[data-pick]:not([hidden] *):not([hidden])")?.click();
  }

  #escape(event) {
    if (event.key !== "Escape" || this.root.hidden || event.defaultPrevented || first("dialog[open]")) return;
    event.preventDefault();
    this.close();
  }

  /** The playhead came to rest elsewhere: the reasons are those of its frame. */
  #later() {
    clearTimeout(this.#settling);
    if (this.#open === "why" && !transport.playing) this.#settling = setTimeout(() => this.#open === "why" && this.#ask(), SETTLE_MS);
  }
}
