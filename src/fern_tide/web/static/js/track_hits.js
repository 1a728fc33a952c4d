// The hits of the shown track under the hand: one is chosen on the ribbon, dragged, typed, taken away; another one is added.

import { Component } from "./component.js";
import { isTyping } from "./keyboard.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { selection } from "./selection.js";
import { transport } from "./transport.js";

const perSecond = () => transport.rate[0] / transport.rate[1];

/** The hit that stands for a chosen one once hits are others: the nearest within half a frame, by its number, or -1. Pure. */
export function stillThere(hits, frame) {
  const place = hits.findIndex((hit) => Math.abs(hit - frame) <= 0.5);
  return frame === null ? -1 : place;
}

export class TrackHits extends Component {
  /** The chosen hit, in frames; null for none. @type {number | null} */
  picked = null;
  /** The one that is under the hand: where it was, and its number. @type {any} */
  #dragged = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ soon: () => any }} how soon() draws the ribbon anew */
  constructor(root, signal, { soon }) {
    super(root, signal);
    this.soon = soon;
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")?.id));
    this.on(root, "ft:set", (event) => this.#typed(event));
    this.on(document, "keydown", (event) => this.#key(event));
    this.on(rhythm, "rhythm", () => this.show());
    selection.watch(["track"], () => this.pick(null), this.signal);
  }

  get #place() {
    return stillThere(rhythm.hits, this.picked);
  }

  pick(hit) {
    this.picked = hit === this.picked ? null : hit;
    this.show();
    this.soon();
  }

  /** A hit is dragged on the ribbon: it is drawn where the hand has it. */
  drag(hit, frame, done) {
    if (this.#dragged?.hit !== hit) this.#dragged = { hit, place: rhythm.hits.indexOf(hit) };
    const { place } = this.#dragged;
    rhythm.hits[place] = this.picked = frame;
    if (done) this.#move(hit, frame);
    this.soon();
  }

  async #move(hit, frame) {
    this.#dragged = null;
    if (!(await this.#send({ how: "move", hit_s: hit / perSecond(), time_s: frame / perSecond() }))) rhythm.load(rhythm.track);
  }

  #pressed(id) {
    if (id === "track-hit-add") this.#send({ how: "add", time_s: transport.frame / perSecond() });
    else if (id === "track-hit-remove") this.#remove();
  }

  #key(event) {
    if (event.defaultPrevented || isTyping(event.target) || !["Delete", "Backspace"].includes(event.key) || this.#place < 0) return;
    event.preventDefault();
    this.#remove();
  }

  #remove() {
    if (this.#place < 0) return;
    const hit_s = rhythm.hits[this.#place] / perSecond();
    this.pick(null);
    this.#send({ how: "remove", hit_s });
  }

  /** A number was typed: the hit is there at once, so that what is typed next is of the same one. */
  #typed({ target, detail }) {
    const place = this.#place;
    if (place < 0 || !["track-hit-time", "track-hit-strength"].includes(target.id)) return;
    setTimeout(() => {
      if (target.id === "track-hit-time") rhythm.hits[place] = this.picked = detail * perSecond();
      else rhythm.strengths[place] = detail;
      this.show();
      this.soon();
    }); // when it is sent
  }

  /** The hit that is meant is told by when it is: others may come and go before it is answered. */
  #send(plain) {
    return project.send(`tracks/${selection.get("track")}/hits`, plain);
  }

  /** Show when the chosen hit is and how strong. */
  show() {
    const [bar, place] = [this.find("#track-hit"), this.#place];
    if (!bar) return;
    bar.hidden = place < 0;
    if (place < 0) return;
    this.#fill("time", "move", rhythm.hits[place] / perSecond());
    this.#fill("strength", "weigh", rhythm.strengths[place]);
  }

  #fill(name, how, value) {
    const field = this.find(`#track-hit-${name}`);
    field.dataset.values = JSON.stringify({ how, hit_s: rhythm.hits[this.#place] / perSecond() });
    if (document.activeElement === field) return;
    field.value = String(Number(value.toFixed(4)));
    field.setAttribute("aria-valuenow", field.value);
  }
}
