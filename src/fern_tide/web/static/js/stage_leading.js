// Leading a property by its knob while the sound plays: what the hand did becomes a take, and a mapping that does it again.

import { Component } from "./component.js";
import { HeardClock } from "./heard_clock.js";
import { latencyOf } from "./latency.js";
import { hush, notice } from "./notices.js";
import { Outbox } from "./outbox.js";
import { project } from "./project.js";
import { Round } from "./take.js";
import { transport } from "./transport.js";

const DEVICE = "keys and pointer";

/** Where a knob's value lies between what counts as 0 and as 1. Pure. */
export const shareOf = (value, rest, full) => Math.min(1, Math.max(0, (value - rest) / (full - rest || 1)));

export class Leading extends Component {
  #led = null;
  #round = null;
  #clock = null;
  #query = new URLSearchParams();

  /** @param {any} root @param {AbortSignal} signal @param {{ value: (knob: any) => number, onEnd: () => any }} how value(knob) is what it shows */
  constructor(root, signal, { value, onEnd }) {
    super(root, signal);
    this.value = value;
    this.onEnd = onEnd;
    this.outbox = new Outbox({ query: () => this.#query, onStored: (status) => this.#stored(status) });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("[data-lead]")));
    this.on(root, "input", (event) => this.#moved(event));
    this.on(document, "keydown", (event) => event.key === "Escape" && this.#led && (event.preventDefault(), this.#end()));
    this.on(window, "pagehide", () => this.outbox.leave(this.#led ? this.#round.plain(transport.seconds) : null));
    this.signal.addEventListener("abort", () => this.#end());
  }

  /** Whether a property is led now: its knob stays where the hand leaves it. */
  leads(target) {
    return this.#led?.target === target;
  }

  #pressed(button) {
    if (!button) return;
    const again = this.leads(button.dataset.lead);
    this.#end();
    if (!again) this.#begin(button.dataset);
  }

  #knob(target) {
    return this.find(`input[data-try="${CSS.escape(target)}"]`);
  }

  #begin({ lead, rest, full, into }) {
    if (!project.status.frames) return void notice("There is no sound to lead it by. Add one first.");
    const range = transport.range ?? transport.selection;
    transport.stop();
    transport.seek(range ? range[0] : transport.frame >= transport.last ? 0 : transport.frame);
    const [low, high] = [Number(rest), Number(full)];
    this.#led = { target: lead, rest: low, full: high, ends: range && !transport.looping ? range[1] : transport.last };
    this.#query = new URLSearchParams(into ? { into } : { given: "up", drive: lead, rest, full });
    const begin = (transport.frame * transport.rate[1]) / transport.rate[0];
    this.#clock = new HeardClock(() => transport.seconds);
    this.#round = new Round({ kind: "gesture", device: DEVICE, begin, latency: latencyOf(DEVICE) });
    this.#take(begin, this.value(this.#knob(lead)));
    transport.play();
    this.#show();
    this.#knob(lead).focus({ preventScroll: true });
    this.#follow(this.#led);
  }

  #follow(led) {
    if (this.#led !== led) return;
    const back = this.#clock.look();
    if (back || !transport.playing || this.#round.isFull || transport.frame >= led.ends) return this.#end();
    requestAnimationFrame(() => this.#follow(led));
  }

  #moved(event) {
    const knob = event.target.closest?.("input[data-try]");
    if (knob && this.leads(knob.dataset.try)) this.#take(this.#clock.at(event.timeStamp), this.value(knob));
  }

  /** A knob stays where it is between two moves: it does not drift from one to the next. */
  #take(seconds, value) {
    const up = shareOf(value, this.#led.rest, this.#led.full);
    const { last } = this.#round;
    if (last && seconds - last.seconds > 0.1) this.#round.add(seconds - 0.02, { ...last.values });
    this.#round.add(seconds, { across: up, up, pressure: 0 });
  }

  #show() {
    for (const button of this.all("[data-lead]")) button.setAttribute("aria-pressed", String(this.leads(button.dataset.lead)));
    if (this.#led) notice("Move the knob while it plays; Escape, or the end, stores what you did.", { tone: "good" });
    else hush();
  }

  /** What was led until now is stored. */
  #end() {
    if (!this.#led) return;
    const plain = this.#round.length > 1 ? this.#round.plain(transport.seconds) : null;
    transport.stop();
    this.#led = null;
    this.#show();
    this.onEnd();
    if (plain) this.outbox.take(plain);
    else notice("The knob was not moved: nothing is stored.");
  }

  #stored({ named }) {
    notice(`It is led by ${named} now.`, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
  }
}
