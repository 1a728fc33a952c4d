// The pad that is tapped on, or over which a pointer is led; it shows what came of it.

import { colours, pen } from "./canvas.js";
import { Component } from "./component.js";
import { first } from "./dom.js";
import { isTyping } from "./keyboard.js";
import { placeIn, strengthOf } from "./take.js";

const FADES_MS = 700;
const EDGE = 12; // px that marks stay away from it

/** Whether a key press is a tap: a letter or a digit by itself. Pure. */
export const isTap = ({ key, ctrlKey, metaKey, altKey, repeat }) => /^[\p{L}\p{N}]$/u.test(key) && !ctrlKey && !metaKey && !altKey && !repeat;

export class Pad extends Component {
  #marks = [];
  #drawing = false;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ listens: () => "taps" | "gesture" | null, onPoint: (values: any, timeStamp: number) => any }} how listens() says what
   *   counts now; onPoint hears of each tap and each place of the pointer
   */
  constructor(root, signal, { listens, onPoint }) {
    super(root, signal);
    this.listens = listens;
    this.onPoint = onPoint;
    this.on(document, "keydown", (event) => this.#key(event), { capture: true });
    this.on(root, "pointerdown", (event) => this.#pressed(event));
    this.on(root, "pointermove", (event) => this.#moved(event));
  }

  #key(event) {
    if (this.listens() !== "taps" || !isTap(event) || isTyping(event.target) || first("dialog[open]")) return;
    event.preventDefault();
    event.stopPropagation(); // it is no key of the room
    this.tap(1, event.timeStamp);
  }

  /** Take a tap from a device. */
  tap(strength, timeStamp) {
    this.#mark({ across: 0.5, up: strength });
    this.onPoint({ strength }, timeStamp);
  }

  #pressed(event) {
    if (event.button !== 0) return;
    const place = this.#placeOf(event);
    if (this.listens() === "gesture") {
      if (event.isTrusted) this.root.setPointerCapture(event.pointerId);
      this.lead({ ...place, pressure: event.pressure }, event.timeStamp);
    } else if (this.listens() === "taps") {
      event.preventDefault();
      this.root.focus({ preventScroll: true });
      const strength = strengthOf(event, place);
      this.#mark(place);
      this.onPoint({ strength }, event.timeStamp);
    }
  }

  /** Every place that the pointer had since the last event, not only where it is when the page has time. */
  #moved(event) {
    if (this.listens() !== "gesture") return;
    const all = event.getCoalescedEvents?.() ?? [];
    for (const one of all.length ? all : [event]) this.lead({ ...this.#placeOf(one), pressure: one.pressure }, one.timeStamp);
  }

  /** Take a place of a pointer, or of a device. */
  lead(values, timeStamp) {
    this.#mark(values);
    this.onPoint(values, timeStamp);
  }

  #placeOf(event) {
    return placeIn(this.root.getBoundingClientRect(), event);
  }

  #mark({ across, up }) {
    this.#marks.push({ across, up, at: performance.now() });
    if (this.#marks.length > 400) this.#marks.shift();
    if (!this.#drawing) this.#draw();
  }

  #draw() {
    const { context, width, height } = pen(this.find("canvas"));
    const now = performance.now();
    this.#marks = this.#marks.filter(({ at }) => now - at < FADES_MS);
    context.fillStyle = colours().tide;
    for (const { across, up, at } of this.#marks) {
      context.globalAlpha = 1 - (now - at) / FADES_MS;
      context.beginPath();
      context.arc(across * width, EDGE + (1 - up) * (height - 2 * EDGE), this.listens() === "gesture" ? 3 : 9, 0, 2 * Math.PI);
      context.fill();
    }
    this.#drawing = this.#marks.length > 0 && !this.signal.aborted;
    if (this.#drawing) requestAnimationFrame(() => this.#draw());
  }
}
