// Measuring how late a device and its hand are: ten seconds of clicks are tapped to.

import { HeardClock } from "./heard_clock.js";
import { rememberLatency } from "./latency.js";
import { project } from "./project.js";
import { postJson } from "./server.js";
import { transport } from "./transport.js";

export class Calibrating {
  #audio = null;
  #clock = null;
  #taps = [];
  #hand = null;
  #device = "";

  /** @param {{ onState: (state: string | null, words: string) => any, hand: (clock: any) => any, voice: any }} how hand(clock) gives a stand-in, if one is chosen */
  constructor({ onState, hand, voice }) {
    this.onState = onState;
    this.hand = hand;
    this.voice = voice;
  }

  get #isHeard() {
    return this.#device.endsWith("microphone");
  }

  async start(device) {
    transport.stop();
    this.#device = device;
    this.#taps = [];
    this.#audio = new Audio(project.url("calibration.wav"));
    this.#clock = new HeardClock(() => this.#audio?.currentTime ?? NaN);
    this.#clock.look(); // before it plays
    this.#audio.addEventListener("ended", () => this.#measure());
    this.onState("calibrating", this.#isHeard ? "The microphone hears the clicks, for ten seconds." : "Tap to every click, for ten seconds.");
    try {
      if (this.#isHeard) await this.voice.open(device, project.url("calibration.wav"));
      await this.#audio.play();
    } catch (wrong) {
      if (wrong.name !== "AbortError") this.#end(wrong.what ? wrong.message : "The clicks cannot be played.");
      return;
    }
    if (this.#isHeard) this.voice.begin(() => this.#audio?.currentTime ?? NaN);
    this.#hand = this.hand(this.#clock);
    this.#hand?.tap(JSON.parse(/** @type {any} */ (document.getElementById("calibration-clicks")).textContent));
    this.#follow();
  }

  #follow() {
    if (!this.#audio) return;
    this.#clock.look();
    requestAnimationFrame(() => this.#follow());
  }

  tap(timeStamp) {
    const seconds = this.#clock?.at(timeStamp);
    if (Number.isFinite(seconds)) this.#taps.push(seconds);
    this.onState(null, `${this.#taps.length} taps`);
  }

  async #measure() {
    const taps = this.#isHeard ? this.voice.clicks() : this.#taps;
    this.#end("");
    try {
      const measured = await postJson(project.url("calibration"), { taps });
      rememberLatency(this.#device, measured);
      this.onState(null, `Measured from ${measured.taps} taps.`);
    } catch (wrong) {
      this.onState(null, wrong.message);
    }
  }

  #end(words) {
    this.#hand?.stop();
    this.#hand = null;
    this.#audio?.pause();
    this.#audio = null;
    this.onState("ready", words);
  }

  /** Stop measuring; what was measured before stays. */
  stop() {
    if (this.#audio) this.#end("");
  }
}
