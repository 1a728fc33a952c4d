// What the sound could let the chosen parts do: asked for, pointed at, and there until something else is chosen or done.

import { Component } from "./component.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { work } from "./work.js";

export class Suggestions extends Component {
  /** The one that is pointed at. @type {any} */
  #offer = null;
  #again = false; // the sound is read now that they waited for

  /**
   * @param {any} root what the server draws of the room
   * @param {AbortSignal} signal
   * @param {{ onTry: (command: any) => any }} how onTry(command) shows what an edit would do, or with null what is stored
   */
  constructor(root, signal, { onTry }) {
    super(root, signal);
    this.onTry = onTry;
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target.id === "suggestions" && (detail.parameters.parts = this.#asked.join()));
    this.on(root, "htmx:beforeRequest", ({ detail }) => detail.target.id === "suggestions" && this.#listens(detail.target));
    this.on(root, "htmx:beforeSwap", ({ target }) => target === root && this.#forgets());
    this.on(root, "htmx:afterSettle", () => this.#asksAgain());
    this.on(root, "pointerover focusin", ({ target }) => this.#point(target.closest("[data-pick='suggestion']")));
    this.on(work, "done", () => (this.#again = Boolean(this.find("#suggestions [data-waits]"))));
  }

  /** The parts that they are asked for. */
  get #asked() {
    const { part, parts } = selection.all;
    return parts.length ? parts : [part];
  }

  /** What they are of: the chosen parts of the project as it stands. */
  get #of() {
    return `${project.status.revision} ${this.#asked.join()}`;
  }

  #listens(place) {
    place.textContent = "Listening, and trying what could be seen";
    place.dataset.awaits = this.#of;
  }

  /** They stay when the panels are drawn anew, but for those of other parts, or of what was there before an edit. */
  #forgets() {
    const place = this.find("#suggestions");
    if (place && place.dataset.awaits !== this.#of) delete place.dataset.awaits;
  }

  #asksAgain() {
    if (this.#again) this.find("#suggest-parts")?.click();
    this.#again = false;
  }

  /** One is pointed at: what it would do is seen; what is there, when none is any more. */
  #point(offer) {
    if (offer === this.#offer) return;
    this.#offer = offer;
    this.onTry(offer && JSON.parse(offer.dataset.command));
  }
}
