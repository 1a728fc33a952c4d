// Long work: the server draws what is being done, and again while it goes on (work.html). Every tab sees the same.

import { byId } from "./dom.js";
import { project } from "./project.js";

const LATER_MS = 2000;

export const work = new (class extends EventTarget {
  #had = 0;
  #awaited = false;
  #over = -Infinity;

  open() {
    const place = byId("work");
    for (const event of ["revised", "waiting"]) project.addEventListener(event, () => this.look());
    place.addEventListener("htmx:afterSwap", ({ target }) => target === place && this.#drawn(place));
    const again = () => setTimeout(() => this.look(), LATER_MS); // an answer that never came must not be the last
    for (const event of ["htmx:sendError", "htmx:responseError", "htmx:timeout"]) place.addEventListener(event, again);
  }

  /** Ask what is under way. */
  look() {
    byId("work")?.dispatchEvent(new CustomEvent("ft:look"));
  }

  /** Something that was asked for is not there yet. Where nothing is under way any more, it came in between, and that is told. */
  awaits() {
    this.#awaited = true;
    this.look();
  }

  /** Tell 'done' when all that was needed is there. */
  #drawn(place) {
    const jobs = Number(place.querySelector("[data-jobs]")?.dataset.jobs ?? 0);
    const had = this.#had;
    this.#had = jobs;
    if (jobs || !(had || this.#awaited)) return;
    const wait = had ? 0 : this.#over + LATER_MS - performance.now(); // what cannot come is not asked for all the time
    if (wait > 0) return void setTimeout(() => this.look(), wait);
    this.#awaited = false;
    this.#over = performance.now();
    this.dispatchEvent(new Event("done"));
  }
})();
