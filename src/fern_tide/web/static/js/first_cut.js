// A first cut on the Bench: it is made as soon as the sound is read, and pointing at what it proposes shows only that.

import { Component } from "./component.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

const SETTLE_MS = 120;

export class FirstCut extends Component {
  #making = false;
  #settling = 0;
  #shown = null;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ only: (id: any) => any, light: (parts: string[]) => any }} how only(id) lets one mapping move alone, and null
   *   all of them; light(parts) dims all but these
   */
  constructor(root, signal, { only, light }) {
    super(root, signal);
    this.only = only;
    this.light = light;
    this.on(work, "done", () => this.make());
    this.on(project, "revised", () => this.make());
    this.on(root, "pointerover focusin", ({ target }) => this.#point(target.closest?.("[data-proposed]")?.dataset.proposed ?? null));
    this.on(root, "pointerleave", () => this.#point(null));
    this.make();
  }

  /** Make the cut that is due, and play it; where the sound is still being read, that is waited for. */
  async make() {
    if (this.#making || this.signal.aborted || project.status.cut !== "due") return;
    this.#making = true;
    try {
      const made = await project.offer("first-cut", () => !this.signal.aborted && project.status.cut === "due");
      if (made?.driven && !this.signal.aborted && !transport.playing) transport.play();
    } catch (wrong) {
      if (wrong.status !== 202) notice(wrong.message);
      else if (await project.analyzed(wrong.jobs)) setTimeout(() => this.make());
    } finally {
      this.#making = false;
    }
  }

  #point(id) {
    clearTimeout(this.#settling);
    this.#settling = setTimeout(() => {
      if (id === this.#shown || this.signal.aborted) return;
      this.#shown = id;
      this.only(id);
      this.light(JSON.parse(this.find(`[data-proposed="${id}"]`)?.dataset.parts ?? "[]"));
    }, SETTLE_MS);
  }
}
