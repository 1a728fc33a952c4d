// The outlines that shapers move on a 2D stage: asked for when they are first moved, and written as path data.

import { outlinesOf, pathOf, pointsAt } from "./outlines.js";
import { seenShapes } from "./shapes.js";

export class Outlines2d {
  #parts = new Map();

  /** @param {() => void} onTaken hears of outlines that are there now */
  constructor(onTaken) {
    this.onTaken = onTaken;
    /** Ends when all that was asked for is there. @type {Promise<any>} */
    this.settled = Promise.resolve();
  }

  /** What shows a part's shapers: [the id of an element, what gives its path data at a frame]; none before it is there. */
  moved(id, { key, shaping }, valueAt) {
    const there = this.#parts.get(id);
    if (there?.key === key && there.outlines) return there.outlines.map((outline) => [outline.element, (frame) => pathOf(outline.strokes, pointsAt(outline, seenShapes(shaping, valueAt(frame))))]);
    if (there?.key !== key) this.#ask(id, key);
    return [];
  }

  #ask(id, key) {
    this.#parts.set(id, { key });
    const take = (outlines) => {
      if (this.#parts.get(id)?.key !== key) return;
      this.#parts.set(id, { key, outlines });
      this.onTaken();
    };
    this.settled = Promise.all([this.settled, outlinesOf(id, key).then(take, () => this.#parts.delete(id))]);
  }
}
