// Tapping the beat while the sound plays: three taps or more set the tempo, once the hand has rested.

import { byId } from "./dom.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { transport } from "./transport.js";

const RESTED_MS = 1600;
const LEAST = 3;

export const taps = new (class {
  #times = [];
  #timer = null;

  /** Take a tap at the sound's own time. */
  tap() {
    if (!transport.playing) {
      notice("Taps count while the sound plays.", { tone: "good", act: { words: "Play", run: () => transport.toggle() } });
      return;
    }
    this.#times.push(transport.seconds);
    const button = byId("tap");
    if (button) button.textContent = `Tap ${this.#times.length}`;
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#rested(button), RESTED_MS);
  }

  #rested(button) {
    const times = this.#times;
    this.#times = [];
    if (button) button.textContent = "Tap";
    if (times.length >= LEAST) project.send("beat", { how: "tapped", times });
  }
})();
