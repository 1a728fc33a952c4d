// How a 2D drawing is looked at: what of it is seen, how near, and where on it a place of the screen is.

import { boxAround } from "./placing.js";

/** A view box as a box. Pure. */
export const boxIn = (text) => (([x, y, width, height]) => ({ x, y, width, height }))(text.split(/[\s,]+/).map(Number));

export class Looking2d {
  /** @param {any} root what the drawing is in */
  constructor(root) {
    this.root = root;
    /** Hears of another way of looking. @type {(() => void) | null} */
    this.onView = null;
  }

  get svg() {
    return this.root.querySelector(":scope > svg:not(.over)");
  }

  /** A place on the screen in what a part's anchor is counted in. */
  toScene({ clientX, clientY }) {
    return new DOMPoint(clientX, clientY).matrixTransform(this.svg.getScreenCTM().inverse());
  }

  get #view() {
    return boxIn(this.svg.getAttribute("viewBox"));
  }

  #look({ x, y, width, height }) {
    this.svg.setAttribute("viewBox", [x, y, width, height].map((value) => Number(value.toFixed(4))).join(" "));
    this.onView?.();
  }

  zoom(by, event) {
    const at = event ? this.toScene(event) : null;
    const { x, y, width, height } = this.#view;
    const [px, py] = at ? [at.x, at.y] : [x + width / 2, y + height / 2];
    const factor = Math.min(40, Math.max(0.002, by));
    this.#look({ x: px - (px - x) * factor, y: py - (py - y) * factor, width: width * factor, height: height * factor });
  }

  pan(dx, dy) {
    const scale = this.svg.getScreenCTM().a || 1;
    const { x, y, width, height } = this.#view;
    this.#look({ x: x - dx / scale, y: y - dy / scale, width, height });
  }

  frameAll() {
    this.#look(boxIn(this.svg.dataset.whole));
  }

  /** Look at what is between corners on the screen. */
  lookAt(corners) {
    const inverse = this.svg.getScreenCTM().inverse();
    const { x, y, width, height } = boxAround(corners.map((corner) => corner.matrixTransform(inverse)));
    const room = 0.25 * Math.max(width, height, 20);
    this.#look({ x: x - room, y: y - room, width: width + 2 * room, height: height + 2 * room });
  }

  background(shown) {
    const ground = this.svg.querySelector(":scope > rect");
    if (ground) ground.setAttribute("visibility", shown ? "visible" : "hidden");
    this.root.classList.toggle("checked", !shown);
  }
}
