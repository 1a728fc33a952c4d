// "Show me": a tour of the rooms on the demo, each step done by the person on the real screen, kept where one left it.

import { byId, first } from "./dom.js";
import { telling } from "./notices.js";
import { project } from "./project.js";
import { getJson, postJson } from "./server.js";
import { transport } from "./transport.js";

const STORE = "ft:tour";
const LOOK_MS = 250;

/** Whether a step is done, from how things stood when it began and how they stand now. Pure. */
export function isDone(until, before, now) {
  if (until === "playing") return now.playing;
  if (until === "room") return now.room === now.wanted;
  if (until === "edited") return now.revision !== before.revision && now.undo !== null && now.undo !== before.undo;
  if (until === "baked") return now.stale === 0;
  return now.written;
}

const progress = () => JSON.parse(localStorage.getItem(STORE) ?? "null");

/** Begin the tour, or go on with it where it was left; it has a demo of its own. */
export async function showMe() {
  const before = progress();
  const there = before && (await getJson(`/p/${before.project}/status`).catch(() => null));
  if (there) localStorage.setItem(STORE, JSON.stringify({ ...before, on: true }));
  const demo = there ? { url: `/p/${before.project}/bench` } : await telling(() => postJson("/projects/demo"));
  if (!demo) return;
  if (!there) localStorage.setItem(STORE, JSON.stringify({ project: demo.url.split("/")[2], step: 0, on: true }));
  window.location.href = demo.url;
}

class Tour {
  #before = null;

  constructor(root) {
    this.root = root;
    this.steps = [...root.querySelectorAll("[data-step]")];
    byId("tour-skip").addEventListener("click", () => this.#go(this.step + 1));
    byId("tour-leave").addEventListener("click", () => this.#leave());
    root.hidden = false;
    this.timer = setInterval(() => this.#look(), LOOK_MS);
    this.#go(progress().step);
  }

  get #now() {
    const { revision, undo, stale } = project.status;
    const shown = this.steps[this.step];
    return { revision, undo, stale, playing: transport.playing, room: byId("room")?.dataset.room, wanted: shown.dataset.room, written: Boolean(first("[id^=download-]")) };
  }

  #go(step) {
    this.step = step;
    localStorage.setItem(STORE, JSON.stringify({ project: project.key, step, on: step < this.steps.length }));
    this.steps.forEach((one, place) => (one.hidden = place !== step));
    byId("tour-count").textContent = String(Math.min(step + 1, this.steps.length));
    if (step >= this.steps.length) this.#end();
    else this.#before = this.#now;
  }

  #look() {
    if (this.step >= this.steps.length) return;
    const { room, point, until } = this.steps[this.step].dataset;
    if (isDone(until, this.#before, this.#now)) this.#go(this.step + 1);
    else this.#ring(byId("room")?.dataset.room === room ? first(point) : first(`#rooms [href$='/${room}']`));
  }

  /** Show where the next thing is done. */
  #ring(element) {
    const ring = byId("tour-ring");
    const box = element?.getBoundingClientRect();
    ring.hidden = !box?.width;
    if (ring.hidden) return;
    const at = { left: box.left - 4, top: box.top - 4, width: box.width + 8, height: box.height + 8 };
    for (const [name, px] of Object.entries(at)) ring.style[name] = `${px}px`;
  }

  #end() {
    clearInterval(this.timer);
    localStorage.removeItem(STORE);
    byId("tour-end").hidden = false;
    byId("tour-ring").hidden = byId("tour-skip").hidden = true;
    byId("tour-leave").textContent = "Close";
  }

  #leave() {
    clearInterval(this.timer);
    const state = progress();
    if (state) localStorage.setItem(STORE, JSON.stringify({ ...state, on: false }));
    this.root.hidden = byId("tour-ring").hidden = true;
  }
}

export function mountTour() {
  for (const id of ["show-me", "show-me-again"]) byId(id)?.addEventListener("click", showMe);
  const state = progress();
  if (project.key && state?.on && state.project === project.key) new Tour(byId("tour"));
}
