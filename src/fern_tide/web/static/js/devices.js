// What one performs with: which devices there are for what is performed, and the one that is chosen, opened.

import { byId } from "./dom.js";
import { listenToMidi } from "./midi_in.js";
import { telling } from "./notices.js";

export const HAND = "rehearsal hand";
/** Taps as a pad with velocities does: as strong as the hits that it taps. */
export const PAD = "rehearsal pad";
const BY_HAND = ["keys and pointer", "MIDI", HAND];
const DEVICES = { taps: [...BY_HAND, PAD], gesture: BY_HAND, microphone: ["microphone", "rehearsal microphone"] };

export class Devices {
  #midi = null;

  /** @param {{ field: any, pad: any, voice: any, listens: () => any, signal: AbortSignal }} how field chooses; the pad takes what MIDI says */
  constructor({ field, pad, voice, listens, signal }) {
    this.field = field;
    this.pad = pad;
    this.voice = voice;
    this.listens = listens;
    this.signal = signal;
  }

  get chosen() {
    return this.field.value;
  }

  /** Offer the devices for a kind; the one before stays where it can. */
  offer(kind) {
    const before = this.field.value;
    this.field.replaceChildren(...DEVICES[kind].map((name) => new Option(name === "MIDI" ? "a MIDI device" : name, name)));
    if (DEVICES[kind].includes(before)) this.field.value = before;
  }

  /** Open the chosen device; what cannot be had is said. */
  async open() {
    this.#midi?.abort();
    byId("monitor-row").hidden = this.chosen !== "microphone";
    if (!this.chosen.endsWith("microphone")) this.voice.close();
    else if (await telling(() => this.voice.open(this.chosen))) this.monitor();
    if (this.chosen === "MIDI" && !(await telling(() => this.#listen()))) this.field.value = BY_HAND[0];
  }

  /** Whether a microphone is heard meanwhile: off, until somebody says so. */
  monitor({ turn = false } = {}) {
    const button = byId("monitor");
    const is = (button.getAttribute("aria-pressed") === "true") !== turn;
    button.setAttribute("aria-pressed", String(is));
    byId("monitor-row").hidden = this.chosen !== "microphone";
    this.voice.monitor(is);
  }

  async #listen() {
    this.#midi = new AbortController();
    const { pad, listens, signal } = this;
    const onTap = (strength, at) => listens() === "taps" && pad.tap(strength, at);
    const onLevel = (level, at) => listens() === "gesture" && pad.lead({ across: level, up: level, pressure: level }, at);
    await listenToMidi({ onTap, onLevel, signal: AbortSignal.any([signal, this.#midi.signal]) });
    return true;
  }
}
