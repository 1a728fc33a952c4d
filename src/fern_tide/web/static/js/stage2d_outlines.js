// The outlines that shapers move on a 2D stage: asked for when they are first moved.

import { telling } from "./notices.js";
import { outlinesOf } from "./outlines.js";

export class Outlines2d {
  #parts = new Map();

  /** @param {() => void} onTaken hears of outlines that are there now */
  constructor(onTaken) {
    this.onTaken = onTaken;
  }

  /** Ends when all that was asked for is there, or fails where it cannot be had. */
  get settled() {
    return Promise.all([...this.#parts.values()].map(({ asked }) => asked));
  }

  /** A part's outlines, each with the id of its element; none before they are there. */
  of(id, key) {
    const there = this.#parts.get(id);
    if (there?.key !== key) this.#ask(id, key);
    return (there?.key === key && there.outlines) || [];
  }

  #ask(id, key) {
    const take = (outlines) => this.#take(id, key, outlines);
    const asked = outlinesOf(id, key).then(take, (wrong) => {
      take(null);
      throw wrong;
    });
    this.#parts.set(id, { key, asked });
    telling(() => asked);
  }

  #take(id, key, outlines) {
    const there = this.#parts.get(id);
    if (there?.key !== key) return;
    if (!outlines) return this.#parts.delete(id);
    there.outlines = outlines;
    this.onTaken();
  }
}
