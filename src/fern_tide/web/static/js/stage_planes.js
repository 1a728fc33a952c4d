// The planes that the selected part's shapers act between, and the edges of their regions, drawn over the stage, at rest.

import { Component } from "./component.js";
import { drawn } from "./svg.js";

export class Planes extends Component {
  #corners = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any }} how
   */
  constructor(room, signal, { stage }) {
    super(room, signal);
    this.stage = stage;
    this.over = drawn("svg", { class: "over", "aria-hidden": "true" });
    stage.root.append(this.over);
  }

  /** The panels were drawn anew. */
  mount() {
    this.#corners = JSON.parse(this.find("#shaper-planes")?.textContent ?? "[]");
    this.over.replaceChildren(...this.#corners.map(() => drawn("polygon", { class: "shaper-plane" })));
    this.outline();
  }

  /** Draw them from where the eye is. */
  outline() {
    const { root, view } = this.stage;
    if (!this.#corners.length || !view) return;
    const { left, top } = root.getBoundingClientRect();
    this.#corners.forEach((corners, place) => {
      const points = corners.map((corner) => view.screenOf(corner));
      const shown = points.includes(null) ? [] : points.map(({ x, y }) => `${x - left},${y - top}`);
      this.over.children[place].setAttribute("points", shown.join(" "));
    });
  }
}
