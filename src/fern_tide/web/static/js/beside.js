// Another version of a mapping beside the one that is shown: two whole pictures, side by side.

import { StageView } from "./stage_view.js";
import { telling } from "./notices.js";
import { unpackedMotion } from "./pieces.js";
import { project } from "./project.js";
import { getText, newest, postPack } from "./server.js";
import { transport } from "./transport.js";

export class Beside {
  #scope = null;
  #view = null;

  /** root: the stage of the room; motion: its curves and parts. */
  constructor(root, { motion, signal }) {
    this.root = root;
    this.motion = motion;
    this.signal = signal;
    /** @type {any} */
    this.name = null;
    /** @type {any} */
    this.mapping = null;
    signal.addEventListener("abort", () => this.close());
  }

  /** Show a version beside what is shown; none closes it. */
  async open(mapping, name) {
    this.close();
    if (!name || this.signal.aborted) return;
    this.mapping = mapping;
    this.name = name;
    this.#scope = new AbortController();
    const { signal } = this.#scope;
    const place = document.createElement("div");
    Object.assign(place, { className: "beside", id: "stage-beside" });
    Object.assign(place.dataset, this.root.dataset);
    if (this.root.dataset.kind === "2d") {
      const drawn = await telling(() => getText(project.url("stage/drawing?prefix=beside-")));
      if (drawn === undefined || signal.aborted) return;
      place.append(document.importNode(new DOMParser().parseFromString(drawn, "image/svg+xml").documentElement, true));
    }
    const seam = document.createElement("div");
    seam.className = "seam";
    for (const words of ["shown", name]) seam.append(Object.assign(document.createElement("span"), { textContent: words }));
    this.root.append(place, seam);
    this.#view = new StageView(place, { prefix: "beside-", signal });
    await this.#view.ready;
    await this.renew();
  }

  #ask = newest(() => telling(() => postPack(project.url("preview"), { command: { kind: "show_version", id: this.mapping, name: this.name } })));

  /** Take the version's curves in, over those that both share. */
  async renew() {
    if (!this.#view) return;
    const pack = await this.#ask();
    if (!pack || !this.#view) return;
    const own = Object.entries(pack.head.curves).map(([target, found]) => [target, { kind: found.kind, values: pack.arrays[found.values] }]);
    const moved = Object.entries(pack.head.pieces).map(([id, one]) => [id, unpackedMotion(one, pack.arrays)]);
    const over = (of, mine) => ({ ...of, ...mine });
    this.#view.bind({ curves: over(this.motion.curves, Object.fromEntries(own)), parts: over(this.motion.parts, pack.head.parts), arrays: over(this.motion.arrays, Object.fromEntries(moved)) });
    this.#view.show(transport.frame);
  }

  show(frame) {
    this.#view?.show(frame);
  }

  close() {
    this.#scope?.abort();
    this.#view = null;
    /** @type {any} */
    this.name = null;
    /** @type {any} */
    this.mapping = null;
    this.root.querySelectorAll(":scope > .beside, :scope > .seam").forEach((gone) => gone.remove());
  }
}
