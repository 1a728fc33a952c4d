// An order that is pointed at, or that has the focus, is shown as a line before it is chosen.

import { Component } from "./component.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { getJson } from "./server.js";

const REST_MS = 60; // the hand passes over some on its way

/** What an order is asked for by: its own address, and which parts are chosen. Pure. */
export function addressOf(address, { parts, backwards }) {
  if (!parts.length || address.includes("?")) return address;
  return `${address}?parts=${parts.map(encodeURIComponent).join(",")}${backwards ? "&backwards=yes" : ""}`;
}

export class TriedOrder extends Component {
  #asked = 0;

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ onTry: (order: any) => void }} how onTry hears of an order, or with null that there is none
   */
  constructor(room, signal, { onTry }) {
    super(room, signal);
    this.onTry = onTry;
    this.on(room, "pointerover focusin", ({ target }) => this.#over(target.closest?.("[data-order]")));
    this.on(room, "pointerout focusout", ({ target }) => target.closest?.("[data-order]") && this.#end());
  }

  /** The panels were drawn anew. */
  mount() {
    this.#end();
  }

  #end() {
    this.#asked += 1;
    this.onTry(null);
  }

  async #over(button) {
    if (!button || button.getAttribute("aria-pressed") === "true") return;
    const asked = (this.#asked += 1);
    await new Promise((done) => setTimeout(done, REST_MS));
    if (asked !== this.#asked) return;
    const address = addressOf(button.dataset.order, { parts: selection.get("parts"), backwards: selection.get("backwards") });
    const order = await getJson(project.url(address)).catch(() => null); // it is a look ahead: nothing is lost without it
    if (asked === this.#asked) this.onTry(order);
  }
}
