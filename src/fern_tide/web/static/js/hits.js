// The hits of the shown envelope under the hand: dots on its trace are dragged, added and taken away, or typed as numbers.

import { frameOf, xOf } from "./axis.js";
import { say, sizeOf } from "./canvas.js";
import { Component } from "./component.js";
import { follow } from "./drag.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { selection } from "./selection.js";
import { dotRow, plotOf } from "./trace.js";
import { transport } from "./transport.js";

const NEAR_PX = 8;
const DECIDED_PX = 4; // then it is known whether a hit is moved or weighed

const secondsOf = (frame) => (frame * transport.rate[1]) / transport.rate[0];
const framesOf = (seconds) => (seconds * transport.rate[0]) / transport.rate[1];

/** The dot nearest to a place, if one is near: its number, or -1. Pure. */
export function dotAt({ frames, strengths }, { x, y }, { view, height }) {
  let [best, at] = [NEAR_PX, -1];
  for (let index = 0; index < frames.length; index += 1) {
    const far = Math.hypot(xOf(frames[index], view) - x, dotRow(strengths[index], height) - y);
    if (far < best) [best, at] = [far, index];
  }
  return at;
}

/** What a drag does to a hit: sideways moves it, upwards weighs it. Pure. */
export function draggedHit({ frame, strength }, { dx, dy }, { framesPerPx, height }) {
  if (Math.max(Math.abs(dx), Math.abs(dy)) < DECIDED_PX) return null;
  if (Math.abs(dx) >= Math.abs(dy)) return { how: "move", frame: frame + dx * framesPerPx, strength };
  return { how: "weigh", frame, strength: Math.min(1, Math.max(0, strength - dy / (height - 18))) };
}

export class Hits extends Component {
  #chosen = -1;
  #envelope = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ axis: any, trace: any, soon: () => any }} how */
  constructor(root, signal, { axis, trace, soon }) {
    super(root, signal);
    this.axis = axis;
    this.trace = trace;
    this.soon = soon;
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "ft:set", (event) => this.#typed(event));
  }

  get #hits() {
    return this.trace.hits;
  }

  mount(signal) {
    const envelope = selection.get("envelope");
    if (envelope !== this.#envelope) this.#chosen = -1;
    this.#envelope = envelope;
    const canvas = this.find("#trace");
    if (!canvas) return;
    canvas.addEventListener("pointerdown", (down) => this.#hits && this.#grab(canvas, down, signal), { signal });
    canvas.addEventListener("pointermove", (event) => (canvas.style.cursor = this.#under(canvas, event) >= 0 ? "grab" : ""), { signal });
    canvas.addEventListener("dblclick", (event) => this.#hits && this.#add(canvas, event), { signal });
    canvas.addEventListener("keydown", (event) => this.#key(event), { signal });
  }

  #view(canvas) {
    return { ...this.axis.view, width: plotOf(sizeOf(canvas).width) };
  }

  #under(canvas, { offsetX, offsetY }) {
    return this.#hits ? dotAt(this.#hits, { x: offsetX, y: offsetY }, { view: this.#view(canvas), height: sizeOf(canvas).height }) : -1;
  }

  #grab(canvas, down, signal) {
    const place = this.#under(canvas, down);
    if (down.button !== 0 || place < 0) return;
    canvas.focus({ preventScroll: true });
    this.#choose(place);
    const hits = this.#hits;
    const [view, height] = [this.#view(canvas), sizeOf(canvas).height];
    const was = { frame: hits.frames[place], strength: hits.strengths[place] };
    const framesPerPx = (view.to - view.from) / view.width;
    let dragged = null;
    const show = ({ frame, strength }) => ((hits.frames[place] = frame), (hits.strengths[place] = strength), this.soon());
    const move = (event) => {
      dragged = draggedHit(was, { dx: event.clientX - down.clientX, dy: event.clientY - down.clientY }, { framesPerPx, height });
      if (dragged?.how === "move") dragged.frame = rhythm.snapped(dragged.frame, framesPerPx);
      show(dragged ?? was);
    };
    const end = (event) => {
      if (event.type === "pointerup" && dragged) this.#send({ ...dragged, of: was.frame });
      else show(was);
    };
    follow(down, canvas, { move, end, signal });
  }

  #add(canvas, event) {
    if (this.#under(canvas, event) >= 0) return;
    const height = sizeOf(canvas).height;
    const view = this.#view(canvas);
    const frame = rhythm.snapped(frameOf(event.offsetX, view), (view.to - view.from) / view.width);
    this.#send({ how: "add", frame, strength: Math.min(1, Math.max(0.05, 1 - (event.offsetY - 9) / (height - 18))) });
  }

  #key(event) {
    const acts = { Delete: () => this.#remove(), Backspace: () => this.#remove(), Enter: () => this.#addHere() };
    const run = this.#hits && acts[event.key];
    if (!run || (event.key !== "Enter" && this.#chosen < 0)) return;
    event.preventDefault();
    event.stopPropagation();
    run();
  }

  #addHere = () => this.#send({ how: "add", frame: transport.frame, strength: 1 });

  #remove() {
    if (this.#chosen >= 0) this.#send({ how: "remove", of: this.#hits.frames[this.#chosen] });
  }

  /** The hit that is meant is told by when it is: others may come and go before it is answered. */
  #send({ how, of = 0, frame = 0, strength = 1 }) {
    if (how === "remove" || how === "add") this.#chosen = -1;
    return project.send(`envelopes/${selection.get("envelope")}/hits`, { how, hit_s: secondsOf(of), time_s: secondsOf(frame), strength });
  }

  /** A number was typed: the hit is there at once, so that what is typed next is of the same one. */
  #typed({ target, detail }) {
    const [hits, place] = [this.#hits, this.#chosen];
    if (!hits || place < 0 || !["hit-time", "hit-strength"].includes(target.id)) return;
    setTimeout(() => {
      if (target.id === "hit-time") hits.frames[place] = framesOf(detail);
      else hits.strengths[place] = detail;
      this.soon();
    }); // when it is sent
  }

  #choose(place) {
    this.#chosen = place;
    this.soon();
  }

  #pressed(button) {
    const acts = {
      "hit-before": () => this.#step(-1),
      "hit-after": () => this.#step(1),
      "hit-remove": () => this.#remove(),
      "hit-add": () => this.#addHere(),
    };
    acts[button?.id]?.();
    if (button?.dataset.useTake) this.#use(Number(button.dataset.useTake));
  }

  /** Choose the next hit, and go there. */
  #step(by) {
    const count = this.#hits?.frames.length ?? 0;
    if (!count) return;
    this.#choose(this.#chosen < 0 ? (by > 0 ? 0 : count - 1) : (this.#chosen + by + count) % count);
    transport.seek(Math.floor(this.#hits.frames[this.#chosen] + 1e-4));
  }

  /** Let a take count in the selection, or everywhere. */
  #use(place) {
    const range = transport.selection?.map((frame) => (frame * transport.rate[1]) / transport.rate[0]);
    project.send(`envelopes/${selection.get("envelope")}/takes`, { how: "choose", place, ...(range && { begin_s: range[0], end_s: range[1] }) });
  }

  /** Say how many hits there are, and of the chosen one when and how strong it is. */
  show() {
    const [bar, hits] = [this.find("#hits-bar"), this.#hits];
    if (!bar) return;
    bar.hidden = !hits;
    if (!hits) return;
    if (this.#chosen >= hits.frames.length) this.#chosen = -1;
    hits.chosen = this.#chosen;
    const [count, edited] = [hits.frames.length, hits.edited.reduce((sum, one) => sum + one, 0)];
    const of = this.#chosen < 0 ? `${count} hit${count === 1 ? "" : "s"}` : `hit ${this.#chosen + 1} of ${count}`;
    say(this.find("#hit-count"), `${of}${edited ? `, ${edited} edited` : ""}`);
    this.find("#hit-fields").hidden = this.#chosen < 0;
    this.find("#hits-forget").hidden = !this.find("#hits-forget").dataset.edits;
    if (this.#chosen >= 0) this.#fill({ time: secondsOf(hits.frames[this.#chosen]), strength: hits.strengths[this.#chosen] });
  }

  #fill(values) {
    for (const [name, how] of [["time", "move"], ["strength", "weigh"]]) {
      const field = this.find(`#hit-${name}`);
      field.dataset.values = JSON.stringify({ how, hit_s: values.time });
      if (document.activeElement === field) continue;
      field.value = String(Number(values[name].toFixed(4)));
      field.setAttribute("aria-valuenow", field.value);
    }
  }
}
