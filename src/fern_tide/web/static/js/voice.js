// A microphone on the pad: its level is seen before and while it records; what it heard is a WAV file with its place in time.

import { colours, pen } from "./canvas.js";
import { Component } from "./component.js";
import { Microphone, RATE, RehearsalMicrophone } from "./microphone.js";
import { Refused } from "./server.js";
import { addressOf, SoundMemory } from "./sound_memory.js";
import { transport } from "./transport.js";
import { clicksIn, wavOf } from "./wav.js";

const MOST_DRIFT_MS = 15;
const QUIET = 0.001; // -60 dB

/** Where a level stands on a meter that shows 60 dB, from 0 to 1. Pure. */
export const meterOf = (loudest) => (loudest > QUIET ? Math.min(1, 1 + Math.log10(loudest) / 3) : 0);

/** Draw how loud an open microphone is at the foot of a canvas; says whether it is open. */
export function drawMeter(canvas, { level, clipped, isOpen }, { edge }) {
  const { context, width, height } = pen(canvas);
  if (!isOpen) return false;
  const ink = colours();
  context.fillStyle = clipped ? ink.ember : ink.tide;
  context.fillRect(edge, height - edge - 8, meterOf(level) * (width - 2 * edge), 8);
  context.strokeStyle = ink.rule ?? ink["ink-2"];
  context.strokeRect(edge + 0.5, height - edge - 8.5, width - 2 * edge - 1, 9);
  return true;
}

export class Voice extends Component {
  #peak = 0;
  #number = 1;
  /** @type {SoundMemory | null} */
  #memory = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ standIn: () => any, onLost: () => any, late: () => number }} how standIn() says how the stand-in is, late() how late the device, in ms */
  constructor(root, signal, { standIn, onLost, late }) {
    super(root, signal);
    this.standIn = standIn;
    this.late = late;
    this.microphone = new Microphone({ onLost });
    this.signal.addEventListener("abort", () => this.close());
  }

  /** Open a device; throws where it cannot be had. */
  async open(device, url = transport.audio.dataset.url) {
    const isStandIn = device.startsWith("rehearsal");
    if (isStandIn && !url) throw new Refused(0, { what: "Nothing is heard that the rehearsal microphone could play.", remedy: "Let a track be heard." });
    await this.microphone.open(isStandIn ? new RehearsalMicrophone({ url, ...this.standIn() }) : null);
    this.#draw();
    return true;
  }

  /** Let what comes be heard meanwhile, or not. */
  monitor(on) {
    this.microphone.monitor(on);
  }

  /** Begin to record; seconds gives those of the sound that plays. What is to become a track is remembered meanwhile. */
  begin(seconds, { remembers = false } = {}) {
    this.#peak = 0;
    this.microphone.begin(seconds);
    if (!remembers) return;
    this.#number = document.querySelectorAll("[data-row^='recording']").length + 1;
    this.#memory = new SoundMemory({ since: (count) => this.microphone.since(count), about: () => ({ ms: this.late(), rate: RATE, number: this.#number }) });
  }

  /** How long it records, and whether it is too loud or silent. */
  get words() {
    const { seconds, clipped, level } = this.microphone;
    this.#peak = Math.max(this.#peak, level);
    const loud = clipped ? "; too loud: it is clipped" : seconds > 2 && this.#peak < QUIET ? "; nothing is heard" : "";
    return `Recording ${seconds.toFixed(1)} s${loud}`;
  }

  /** End recording: a WAV file, the address that takes it, what to say, and what to do once it is stored; null where nothing came. */
  end() {
    const heard = this.microphone.end();
    const memory = this.#memory;
    this.#memory = null;
    memory?.stop();
    if (!heard) return (memory?.forget(), null);
    const blob = new Blob([wavOf(heard.channels, RATE)], { type: "audio/wav" });
    const address = addressOf({ begin: heard.begin, ms: this.late(), number: this.#number });
    return { blob, address, words: this.#wordsOf(heard), done: () => memory?.forget() };
  }

  #wordsOf({ drift }) {
    if (this.microphone.clipped) return "Recorded, but it is clipped: turn the microphone down.";
    if (this.#peak < QUIET) return "Recorded, but it is silent.";
    const ms = Math.round(1000 * Math.abs(drift));
    return ms > MOST_DRIFT_MS ? `Recorded, but its clock and the sound's went ${ms} ms apart.` : "Recorded.";
  }

  /** When clicks that were played came back, in seconds of the sound that they are in. */
  clicks() {
    const heard = this.microphone.end();
    return heard ? clicksIn(heard.channels[0], RATE).map((time) => heard.begin + time) : [];
  }

  close() {
    this.microphone.close();
  }

  #draw() {
    if (drawMeter(this.find("canvas"), this.microphone, { edge: 12 }) && !this.signal.aborted) requestAnimationFrame(() => this.#draw());
  }
}
