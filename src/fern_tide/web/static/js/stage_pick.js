// Picking on the stage of the Bench: what is under the pointer is outlined and named; a click gives its properties there.

import { Component } from "./component.js";
import { project } from "./project.js";
import { getJson } from "./server.js";
import { dashesOver } from "./stage_looking.js";

const CLICK_PX = 4;

export class StagePick extends Component {
  #down = null;
  #over = null;
  #names = new Map();

  /**
   * @param {any} root the stage
   * @param {AbortSignal} signal
   * @param {{ stage: any, onPick: (part: string, at: { x: number, y: number }) => any }} how
   */
  constructor(root, signal, { stage, onPick }) {
    super(root, signal);
    this.stage = stage;
    this.onPick = onPick;
    root.dataset.stagePick = "";
    this.dashes = dashesOver(root);
    this.label = Object.assign(document.createElement("div"), { className: "stage-name", hidden: true });
    root.append(this.label);
    this.on(root, "pointerdown", ({ clientX, clientY }) => (this.#down = { x: clientX, y: clientY }));
    this.on(root, "pointermove", (event) => this.#hover(event));
    this.on(root, "pointerleave", () => this.#show(null));
    this.on(root, "click", (event) => this.#click(event));
    this.#show(null);
  }

  get #flat() {
    return this.stage.space === "2d";
  }

  #hover(event) {
    if (event.buttons || !this.#flat) return;
    const part = this.stage.view?.pick(event) ?? null;
    if (part !== this.#over) this.#show(part);
    const { left, top } = this.root.getBoundingClientRect();
    this.label.style.transform = `translate(${event.clientX - left + 12}px, ${event.clientY - top + 14}px)`;
  }

  #show(part) {
    this.#over = part;
    const corners = part ? this.stage.view?.outline(part) : null;
    this.dashes.setAttribute("visibility", corners ? "visible" : "hidden");
    this.label.hidden = !corners;
    if (!corners) return;
    const { left, top } = this.root.getBoundingClientRect();
    this.dashes.setAttribute("points", corners.map(({ x, y }) => `${(x - left).toFixed(1)},${(y - top).toFixed(1)}`).join(" "));
    this.label.textContent = this.#names.get(part) ?? "";
    this.#name(part);
  }

  /** Ask for a part's name, once. */
  async #name(part) {
    if (!this.#names.has(part)) {
      this.#names.set(part, "");
      const answer = await getJson(project.url(`parts/${part}/name`)).catch(() => null);
      this.#names.set(part, answer?.name ?? part);
    }
    if (this.#over === part) this.label.textContent = this.#names.get(part);
  }

  async #click({ clientX, clientY }) {
    const down = this.#down ?? { x: clientX, y: clientY };
    if (Math.hypot(clientX - down.x, clientY - down.y) > CLICK_PX) return;
    const hit = this.stage.view?.pick({ clientX, clientY });
    if (!hit) return;
    const part = await this.stage.partOf(hit);
    if (part && !this.signal.aborted) this.onPick(part, { x: clientX, y: clientY });
  }
}
