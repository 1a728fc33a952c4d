// Long work: the server draws what is being done, and again while it goes on (work.html). Every tab sees the same.

import { byId } from "./dom.js";
import { project } from "./project.js";
import { unhurried } from "./unhurried.js";

const LATER_MS = 2000;

export const work = new (class extends EventTarget {
  #had = 0;

  open() {
    const place = byId("work");
    const soon = unhurried(() => this.look());
    project.addEventListener("revised", soon);
    project.addEventListener("waiting", () => this.look());
    place.addEventListener("htmx:afterSwap", ({ target }) => target === place && this.#drawn(place));
    const again = () => setTimeout(() => this.look(), LATER_MS); // an answer that never came must not be the last
    for (const event of ["htmx:sendError", "htmx:responseError", "htmx:timeout"]) place.addEventListener(event, again);
  }

  /** Ask what is under way. */
  look() {
    byId("work")?.dispatchEvent(new CustomEvent("ft:look"));
  }

  /** Tell 'done' when all that was needed is there. */
  #drawn(place) {
    const jobs = Number(place.querySelector("[data-jobs]")?.dataset.jobs ?? 0);
    const over = this.#had && !jobs;
    this.#had = jobs;
    if (over) this.dispatchEvent(new Event("done"));
  }
})();
