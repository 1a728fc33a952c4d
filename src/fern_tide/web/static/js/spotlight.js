// Dims the stage but for some parts, wherever they move.

import { Component } from "./component.js";
import { drawn } from "./svg.js";

const MOST = 300; // parts that are left light; with more the stage is as bright as it was

/** Path data of closed outlines, each a list of points. Pure. */
export const pathAround = (outlines) => outlines.map((points) => `M${points.map(({ x, y }) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}Z`).join("");

export class Spotlight extends Component {
  #parts = [];

  /**
   * @param {any} root the stage
   * @param {AbortSignal} signal
   * @param {{ stage: any }} how
   */
  constructor(root, signal, { stage }) {
    super(root, signal);
    this.stage = stage;
    this.over = drawn("svg", { class: "over", "aria-hidden": "true", visibility: "hidden", id: "spotlight" });
    const mask = drawn("mask", { id: "spotlight-mask" });
    this.light = drawn("path", { fill: "#000", stroke: "#000", "stroke-opacity": "0.5", "stroke-width": "12", "stroke-linejoin": "round" });
    mask.append(drawn("rect", { width: "100%", height: "100%", fill: "#fff" }), this.light);
    this.over.append(mask, drawn("rect", { width: "100%", height: "100%", fill: "#000", opacity: "0.55", mask: "url(#spotlight-mask)" }));
    root.append(this.over);
  }

  /** Leave only these parts light; with none, all. */
  show(parts) {
    this.#parts = parts.length > MOST ? [] : parts;
    this.draw();
  }

  /** Follow the parts to where they are now. */
  draw() {
    const shown = this.#parts.length && this.stage.view;
    this.over.setAttribute("visibility", shown ? "visible" : "hidden");
    if (!shown) return;
    const { left, top } = this.root.getBoundingClientRect();
    const outlines = this.#parts.map((part) => this.stage.view.outline(part)).filter(Boolean);
    this.light.setAttribute("d", pathAround(outlines.map((points) => points.map(({ x, y }) => ({ x: x - left, y: y - top })))));
    this.over.setAttribute("visibility", outlines.length ? "visible" : "hidden");
  }
}
