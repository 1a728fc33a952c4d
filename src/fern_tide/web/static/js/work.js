// Long work: what is being done, how far it is, cancel, and try again. Every tab sees the same.

import { getJson, postJson } from "./server.js";
import { project } from "./project.js";

const EVERY_MS = 350;

export const work = new (class extends EventTarget {
  #timer = null;

  open() {
    for (const event of ["revised", "waiting"]) project.addEventListener(event, () => this.look());
    this.look();
  }

  /** Ask what is under way; keep asking while something is. Tells 'done' when all that was needed is there. */
  async look() {
    clearTimeout(this.#timer);
    let jobs;
    try {
      jobs = (await getJson(project.url("work"))).jobs;
    } catch {
      this.#timer = setTimeout(() => this.look(), 2000);
      return;
    }
    const had = this.jobs?.length;
    this.jobs = jobs;
    this.#paint();
    if (jobs.some(({ state }) => state === "queued" || state === "running")) this.#timer = setTimeout(() => this.look(), EVERY_MS);
    else if (had && !jobs.length) this.dispatchEvent(new Event("done"));
  }

  #paint() {
    const place = document.getElementById("work");
    place.replaceChildren();
    const [first] = this.jobs;
    if (!first) return;
    const words = document.createElement("span");
    words.className = "quiet clip";
    const more = this.jobs.length > 1 ? ` and ${this.jobs.length - 1} more` : "";
    const going = first.state === "queued" || first.state === "running";
    words.textContent = going ? `${first.words}${more}, ${Math.round(first.share * 100)} %` : `Analysis ${first.state}: ${first.words}`;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "pill";
    button.textContent = going ? "Cancel" : "Analyze again";
    button.onclick = async () => {
      if (going) await Promise.all(this.jobs.map(({ id }) => postJson(`/jobs/${id}/cancel`)));
      else await postJson(project.url("work"));
      this.look();
    };
    place.append(words);
    if (going) place.append(bar(first.share));
    place.append(button);
  }
})();

/** A thin bar that is filled to a share. */
export function bar(share) {
  const outer = document.createElement("span");
  outer.className = "work w-20 flex-none";
  outer.setAttribute("role", "progressbar");
  outer.setAttribute("aria-label", "How much is done");
  outer.setAttribute("aria-valuenow", String(Math.round(share * 100)));
  const inner = document.createElement("i");
  inner.style.width = `${share * 100}%`;
  outer.append(inner);
  return outer;
}
