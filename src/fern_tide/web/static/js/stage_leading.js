// Leading properties while the sound plays: one by its knob, or across and up at once by dragging the part on the stage. What
// the hand did becomes a take, and mappings that do it again.

import { Component } from "./component.js";
import { follow } from "./drag.js";
import { HeardClock } from "./heard_clock.js";
import { latencyOf } from "./latency.js";
import { hush, notice } from "./notices.js";
import { Outbox } from "./outbox.js";
import { project } from "./project.js";
import { Round } from "./take.js";
import { transport } from "./transport.js";

const DEVICE = "keys and pointer";
const GIVEN = { x: "across", y: "up" };
const OTHER = { x: "y", y: "x" };

/** Where a knob's value lies between what counts as 0 and as 1. Pure. */
export const shareOf = (value, rest, full) => Math.min(1, Math.max(0, (value - rest) / (full - rest || 1)));

/** Whether two led properties can be led at once: neither has a take, or each has one of its own direction. Pure. */
export const goTogether = (one, other) => Boolean(one && other) && [one, other].every(({ into, given, name }) => (into ? given === GIVEN[name] : true)) && Boolean(one.into) === Boolean(other.into);

/** What a round is taken for, as a query: more of the takes that there are, or new ones of all that moved. Pure. */
export function queryOf(moved) {
  const into = moved.filter(({ into }) => into).map(({ into }) => ["into", into]);
  const [alone, second] = moved;
  const given = (one) => (second ? GIVEN[one.name] : "up");
  const made = moved.flatMap((one) => [["given", given(one)], ["drive", one.target], ["rest", one.rest], ["full", one.full]]);
  return String(new URLSearchParams(alone.into ? into : made));
}

const ledBy = ({ dataset: { lead, rest, full, into, given } }) => ({ target: lead, name: lead.split(":")[1], rest: Number(rest), full: Number(full), into, given });

export class Leading extends Component {
  /** What is led: a property, or two of them. @type {any[]} */
  #led = [];
  #moved = new Set();
  #ends = 0;
  #round = null;
  #clock = null;
  #query = "";

  /** @param {any} root @param {AbortSignal} signal @param {{ stage: any, value: (knob: any) => number, put: (knob: any, value: number) => any, onEnd: () => any }} how value(knob) is what it shows */
  constructor(root, signal, { stage, value, put, onEnd }) {
    super(root, signal);
    this.stage = stage;
    this.value = value;
    this.put = put;
    this.onEnd = onEnd;
    this.outbox = new Outbox({ query: () => this.#query, onStored: (status) => this.#stored(status), going: () => this.#going, signal: this.signal });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("[data-lead]")));
    this.on(root, "input", (event) => this.#moves(event));
    this.on(stage.root, "pointerdown", (down) => this.#drag(down), { capture: true });
    this.on(document, "keydown", (event) => event.key === "Escape" && this.#led.length && (event.preventDefault(), this.#end()));
    this.on(window, "pagehide", () => this.outbox.leave());
    this.signal.addEventListener("abort", () => this.#end());
  }

  /** Whether a property is led now: its knob stays where the hand leaves it. */
  leads(target) {
    return this.#led.some((one) => one.target === target);
  }

  #pressed(button) {
    if (!button) return;
    const again = this.#led[0]?.target === button.dataset.lead;
    this.#end();
    if (!again) this.#begin(ledBy(button));
  }

  #knob(target) {
    return this.find(`input[data-try="${CSS.escape(target)}"]`);
  }

  /** What can be led with a property: the other direction of the same part. */
  #besides({ target, name }) {
    const button = OTHER[name] && this.find(`[data-lead="${CSS.escape(target.replace(/:.*/, `:${OTHER[name]}`))}"]`);
    return button ? ledBy(button) : null;
  }

  #begin(led) {
    if (!project.status.frames) return void notice("There is no sound to lead it by. Add one first.");
    const range = transport.range ?? transport.selection;
    transport.stop();
    transport.seek(range ? range[0] : transport.frame >= transport.last ? 0 : transport.frame);
    const other = this.#besides(led);
    this.#led = goTogether(led, other) ? [led, other] : [led];
    this.#moved = new Set();
    this.#ends = range && !transport.looping ? range[1] : transport.last;
    const begin = (transport.frame * transport.rate[1]) / transport.rate[0];
    this.#clock = new HeardClock(() => transport.seconds);
    this.#round = new Round({ kind: "gesture", device: DEVICE, begin, latency: latencyOf(DEVICE) });
    this.#take(begin, 0);
    transport.play();
    this.#show();
    this.#knob(led.target).focus({ preventScroll: true });
    this.#follow(this.#round);
  }

  #follow(round) {
    if (this.#round !== round) return;
    const back = this.#clock.look();
    if (back || !transport.playing || round.isFull || transport.frame >= this.#ends) return this.#end();
    requestAnimationFrame(() => this.#follow(round));
  }

  #moves(event) {
    const knob = event.target.closest?.("input[data-try]");
    if (!knob || event.detail?.byStage || !this.leads(knob.dataset.try)) return;
    this.#moved.add(knob.dataset.try);
    this.#take(this.#clock.at(event.timeStamp), 0);
  }

  /** The part is dragged over the stage: both directions follow the pointer, every place that the browser reports. */
  #drag(down) {
    if (this.#led.length < 2 || down.button !== 0 || !this.stage.view) return;
    const [part] = this.#led[0].target.split(":");
    const at = (event) => this.stage.view.toParent(part, event);
    const start = at(down);
    if (!start) return;
    down.stopImmediatePropagation();
    const from = Object.fromEntries(this.#led.map(({ target, name }) => [name, this.value(this.#knob(target)) - start[name]]));
    this.stage.view.hold(true);
    const move = (event) => {
      const events = event.getCoalescedEvents?.() ?? [];
      for (const one of events.length ? events : [event]) this.#lead(at(one), from, one);
    };
    follow(down, this.stage.root, { move, end: () => this.stage.view?.hold(false), signal: this.signal });
  }

  #lead(point, from, { timeStamp, pressure }) {
    for (const { target, name } of this.#led) {
      const knob = this.#knob(target);
      this.put(knob, from[name] + point[name]);
      knob.dispatchEvent(new CustomEvent("input", { bubbles: true, detail: { byStage: true } }));
      this.#moved.add(target);
    }
    if (this.#led.length) this.#take(this.#clock.at(timeStamp), pressure ?? 0);
  }

  /** Take in where the knobs are. One stays where it is between two moves: it does not drift from one to the next. */
  #take(seconds, pressure) {
    const shares = Object.fromEntries(this.#led.map(({ target, name, rest, full }) => [GIVEN[name] ?? "up", shareOf(this.value(this.#knob(target)), rest, full)]));
    const [alone] = Object.values(shares);
    const { last } = this.#round;
    if (last && seconds - last.seconds > 0.1) this.#round.add(seconds - 0.02, { ...last.values });
    this.#round.add(seconds, { across: alone, up: alone, pressure, ...(this.#led.length > 1 ? shares : {}) });
  }

  #show() {
    for (const button of this.all("[data-lead]")) button.setAttribute("aria-pressed", String(this.leads(button.dataset.lead)));
    const drag = this.#led.length > 1 ? ", or drag the part on the stage," : "";
    if (this.#led.length) notice(`Move the knob${drag} while it plays; Escape, or the end, stores what you did.`, { tone: "good" });
    else hush();
  }

  /** The round as it is stored: of two that could have moved and of which one did, that alone, whatever it is taken for. */
  #plain() {
    const plain = this.#moved.size ? this.#round.plain(transport.seconds) : null;
    if (!plain) return null;
    const moved = this.#led.filter(({ target }) => this.#moved.has(target));
    this.#query = queryOf(moved);
    if (moved.length === this.#led.length) return plain;
    const own = plain.values[GIVEN[moved[0].name]];
    return { ...plain, values: { ...plain.values, across: own, up: own } };
  }

  get #going() {
    return this.#led.length ? this.#plain() : null;
  }

  /** What was led until now is stored. */
  #end() {
    if (!this.#led.length) return;
    const plain = this.#plain();
    transport.stop();
    this.#led = [];
    this.#round = null;
    this.#show();
    this.onEnd();
    if (plain) this.outbox.take(plain);
    else notice("The knob was not moved: nothing is stored.");
  }

  #stored({ named }) {
    notice(`It is led by ${named} now.`, { tone: "good", act: { words: "Take back", run: () => project.undo() } });
  }
}
