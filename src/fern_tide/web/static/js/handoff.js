// Hand-off: curves and their state, keys over the dense curve, checks, and writing.

import { Axis, xOf } from "./axis.js";
import { forgetSize } from "./canvas.js";
import { Bound } from "./bound.js";
import { Component } from "./component.js";
import { LargeCurve } from "./large_curve.js";
import { Parts } from "./parts.js";
import { Profile } from "./profile.js";
import { Proof } from "./proof.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, mountWheel, RibbonWave } from "./ribbon.js";
import { mountRibbon } from "./ribbon_hand.js";
import { selection } from "./selection.js";
import { transport } from "./transport.js";

export class Handoff extends Component {
  large = null;
  #wave = new RibbonWave();
  #written = {}; // what was written since the last bake, by format

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.parts = new Parts(root, this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.load() });
    new Bound(root, this.signal);
    this.profile = new Profile(this.root, this.signal);
    this.proof = new Proof(this.root, this.signal);
    this.proof.onOver = () => this.parts.renew();
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", ({ target }) => target.dataset.goesIn && this.#sayParts());
    this.on(root, "change", ({ target }) => "limitOfCheck" in target.dataset && this.parts.renew());
    this.on(root, "keydown", ({ key, target }) => key === "Enter" && "limitOfCheck" in target.dataset && target.blur());
    this.on(root, "submit", (event) => event.preventDefault());
    this.on(root, "htmx:configRequest", ({ detail }) => (detail.elt.id.startsWith("write-") || detail.elt.id === "batch") && this.#asks(detail));
    this.on(root, "htmx:beforeRequest", ({ detail }) => detail.target.id.startsWith("written-") && this.#awaits(detail.target));
    this.on(root, "htmx:afterRequest", ({ detail }) => delete detail.target.dataset.awaits);
    this.on(root, "htmx:beforeSwap", ({ detail }) => this.#answered(detail));
    this.on(root, "htmx:afterSwap", ({ target }) => this.#wrote(target));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#redraw());
    this.on(rhythm, "rhythm", () => this.#redraw());
    this.on(project, "revised baked", () => this.#changed());
    this.on(project, "refused", () => this.parts.renew());
    selection.watch(["curve"], () => this.parts.renew(), this.signal);
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
    this.#open();
    this.#onAddress();
  }

  /** An address that asks for a proof has it made at once: so does the command line. */
  #onAddress() {
    const [what, query] = window.location.hash.slice(1).split("?");
    if (what !== "proof") return;
    const asked = Object.fromEntries(new URLSearchParams(query));
    this.proof.begin({ ...asked, strip: asked.strip === "yes" });
  }

  /** Which curve is looked at, and what the checks go by. */
  #looked() {
    const limits = this.all("[data-limit-of-check]").map(({ name, value }) => [name, value]);
    return { target: selection.get("curve") ?? "", below: selection.get("below"), ...Object.fromEntries(limits) };
  }

  /** Draw what came with the page; where another curve is selected than the page shows, that. */
  #open() {
    const { curve } = selection.all;
    this.parts.mount();
    if (curve && curve !== selection.get("curve") && this.find(`[data-curve="${CSS.escape(curve)}"]`)) selection.set({ curve });
    else this.load();
  }

  #mount(signal) {
    this.proof.mount(this.root, signal);
    this.profile.mount(this.root, signal);
    this.on(this.find("#measure-flashing") ?? new EventTarget(), "click", () => this.proof.begin({ kind: "flashing", strip: false }));
    selection.correct({ curve: this.find("[data-curve][aria-current]")?.dataset.curve ?? null });
    this.#showWritten();
    for (const button of this.all("[data-below]")) this.on(button, "click", () => this.#showBelow(button.dataset.below));
    this.#showBelow(selection.get("below"));
    const before = this.large;
    this.large = new LargeCurve(this.root, signal, this.axis);
    if (before?.canvas && before.canvas.dataset.target === this.large.canvas?.dataset.target) this.large.goOn(before);
    const ribbon = this.find("#ribbon");
    if (!ribbon) return;
    mountRibbon(ribbon, { axis: this.axis, signal, hits: true });
    for (const plot of [ribbon, this.find("#keys-plot")]) mountWheel(plot, { axis: this.axis, plot: () => plot, signal });
  }

  /** Show again what was written, where the room is drawn anew. */
  #showWritten() {
    for (const [id, html] of Object.entries(this.#written)) {
      const place = this.find(`#${id}`); // a format that carries no such stage is not offered any more
      if (!place || "awaits" in place.dataset) continue;
      place.innerHTML = html;
      /** @type {any} */ (window).htmx.process(place); // long work asks how far it is
    }
  }

  /** Show what is to be looked over below the curve, or what is written. */
  #showBelow(name) {
    selection.set({ below: name });
    for (const button of this.all("[data-below]")) button.setAttribute("aria-pressed", String(button.dataset.below === name));
    for (const place of this.all("[data-shown]")) place.hidden = place.dataset.shown !== name;
    for (const plot of this.all("#keys-plot, #ribbon")) forgetSize(plot); // what was hidden had none
    this.#redraw();
  }

  async load() {
    const track = this.find("#ribbon")?.dataset.track;
    await Promise.all([this.large.load(), track && rhythm.load(track), this.#wave.load(track)]);
    this.#drawAll();
  }

  #pressed(button) {
    if (button?.dataset.showFrame) transport.seek(Number(button.dataset.showFrame));
    if (button?.dataset.curve) this.#showBelow("look"); // who chooses a curve wants to see it
  }

  #sayParts() {
    const boxes = this.all("[data-goes-in]");
    const going = boxes.filter((box) => box.checked).length;
    const words = this.find("#parts-words");
    if (words) words.textContent = going === boxes.length ? `All ${going} moving parts go in` : `${going} of ${boxes.length} moving parts go in`;
  }

  /** The options of writing: what is not checked is said too, and parts are named only where not all go in. */
  #asks({ parameters }) {
    for (const box of this.all("[data-option]")) parameters[box.dataset.option] = String(box.checked);
    if (this.all("[data-goes-in]").every((box) => box.checked)) delete parameters.part;
  }

  /** Where an answer comes stays, whatever is drawn anew about it meanwhile. */
  #awaits(place) {
    place.textContent = "Baking what is stale, writing and reading back";
    place.dataset.awaits = "";
  }

  #answered(detail) {
    if (!detail.target.id.startsWith("written-") || detail.xhr.status !== 202) return;
    detail.shouldSwap = false;
    detail.target.textContent = "The sound is still being read. Write again when it is.";
  }

  /** What was written goes with what it was written of. */
  #changed() {
    this.#written = {};
    this.parts.renew();
  }

  /** The download follows by itself; what was stale is baked now. */
  async #wrote(place) {
    if (!place.id.startsWith("written-")) return;
    delete place.dataset.awaits;
    this.#written[place.id] = place.innerHTML;
    place.querySelector("a[download]")?.click();
    if (project.status.stale) {
      await project.lookAgain({ always: true });
      await this.parts.renew();
    }
    this.find(`#${place.id}`)?.scrollIntoView({ block: "nearest" });
  }

  zoom(by) {
    this.axis.zoom(by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (!ribbon) return;
    this.large.draw();
    drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis, hits: true });
    this.#drawFrame();
  }

  #drawFrame() {
    const [head, canvas] = [this.find("#playhead"), this.find("#keys-plot")];
    if (!head || !canvas) return;
    const { width } = canvas.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    head.hidden = x < 0 || x > width;
    head.style.transform = `translateX(${x}px)`;
  }
}
