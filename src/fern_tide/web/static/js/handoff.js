// Hand-off: curves and their state, keys over the dense curve, checks, and writing.

import { Axis, frameUnder, xOf } from "./axis.js";
import { Bound } from "./bound.js";
import { Component } from "./component.js";
import { drawKeysPlot } from "./keys_plot.js";
import { telling } from "./notices.js";
import { Parts } from "./parts.js";
import { project } from "./project.js";
import { mountWheel } from "./ribbon.js";
import { selection } from "./selection.js";
import { getPack } from "./server.js";
import { transport } from "./transport.js";

const listed = (value) => (Array.isArray(value) ? value : [value]);

export class Handoff extends Component {
  #curve = null;
  #written = {}; // what was written since the last bake, by format

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.parts = new Parts(root, this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.load() });
    new Bound(root, this.signal);
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", ({ target }) => target.dataset.goesIn && this.#sayParts());
    this.on(root, "change", ({ target }) => "limitOfCheck" in target.dataset && this.parts.renew());
    this.on(root, "keydown", ({ key, target }) => key === "Enter" && "limitOfCheck" in target.dataset && target.blur());
    this.on(root, "submit", (event) => event.preventDefault());
    this.on(root, "htmx:configRequest", ({ detail }) => detail.elt.id.startsWith("write-") && this.#asks(detail));
    this.on(root, "htmx:beforeRequest", ({ detail }) => detail.elt.id.startsWith("write-") && (detail.target.textContent = "Baking what is stale, writing and reading back"));
    this.on(root, "htmx:beforeSwap", ({ detail }) => this.#answered(detail));
    this.on(root, "htmx:afterSwap", ({ target }) => this.#wrote(target));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(project, "revised baked", () => this.#changed());
    this.on(project, "refused", () => this.parts.renew());
    selection.watch(["curve"], () => this.parts.renew(), this.signal);
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
    this.#open();
  }

  /** Which curve is looked at, and what the checks go by. */
  #looked() {
    const limits = this.all("[data-limit-of-check]").map(({ name, value }) => [name, value]);
    return { target: selection.get("curve") ?? "", ...Object.fromEntries(limits) };
  }

  /** Draw what came with the page; where another curve is selected than the page shows, that. */
  #open() {
    const { curve } = selection.all;
    this.parts.mount();
    if (curve && curve !== selection.get("curve") && this.find(`[data-curve="${CSS.escape(curve)}"]`)) selection.set({ curve });
    else this.load();
  }

  #mount(signal) {
    selection.correct({ curve: this.find("[data-curve][aria-current]")?.dataset.curve ?? null });
    for (const [id, html] of Object.entries(this.#written)) {
      const place = this.find(`#${id}`); // a format that carries no such stage is not offered any more
      if (!place) continue;
      place.innerHTML = html;
      /** @type {any} */ (window).htmx.process(place); // long work asks how far it is
    }
    const canvas = this.find("#keys-plot");
    if (!canvas) return;
    mountWheel(canvas, { axis: this.axis, plot: () => canvas, signal });
    const seek = (event) => transport.seek(frameUnder(event.offsetX, { ...this.axis.view, width: canvas.getBoundingClientRect().width }));
    canvas.addEventListener("click", seek, { signal });
  }

  async load() {
    const canvas = this.find("#keys-plot");
    this.#curve = null;
    if (canvas) {
      const pack = await telling(() => getPack(project.url(`hand-off/curve?target=${encodeURIComponent(canvas.dataset.target)}`)));
      if (!pack || this.signal.aborted) return;
      const { head, arrays } = pack;
      this.#curve = { dense: listed(arrays[head.dense]), frames: arrays[head.frames], keys: listed(arrays[head.keys]) };
      const [dense] = this.#curve.dense;
      this.axis.resize(dense.length);
      this.find("#keys-words").textContent = `${this.#curve.frames.length} keys for ${dense.length} frames, never more than ${head.error_percent.toFixed(2)} % from the dense curve`;
    }
    this.#drawAll();
  }

  #pressed(button) {
    if (button?.dataset.showFrame) transport.seek(Number(button.dataset.showFrame));
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
    const canvas = this.find("#keys-plot");
    if (!canvas || !this.#curve) return;
    drawKeysPlot(canvas, this.#curve, this.axis.view);
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
