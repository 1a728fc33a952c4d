// The time of a playing sound at the moment of an event: the player's own clock goes in steps, the events' does not.

const REMEMBERED = 60; // looks at both clocks
const BACK_S = 0.2; // players correct themselves by less
const OFF_S = 0.1; // a sound that is so far off was moved, or waited

/** The middle one of some numbers. Pure. */
export function middle(numbers) {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted.length ? (sorted[(sorted.length - 1) >> 1] + sorted[sorted.length >> 1]) / 2 : NaN;
}

/** Now, by a clock that a page and its workers share, in ms. */
export const sharedNow = () => performance.timeOrigin + performance.now();

export class HeardClock {
  #apart = [];
  #last = NaN;
  began = NaN; // the second where this round began
  rounds = 0; // how often it began

  /** @param {() => number} seconds what the player says */
  constructor(seconds) {
    this.seconds = seconds;
  }

  /** Look at both clocks; says whether the sound went back since the last look. Before it plays nothing is learned. */
  look(now = performance.now()) {
    const seconds = this.seconds();
    if (Number.isNaN(this.#last)) this.#begin(seconds);
    if (seconds === this.#last || Number.isNaN(this.#last)) {
      this.#last = seconds;
      return false;
    }
    const back = seconds < this.#last - BACK_S;
    this.#last = seconds;
    const apart = seconds - now / 1000;
    if (back || (this.isRunning && Math.abs(apart - middle(this.#apart)) > OFF_S)) this.#apart = [];
    if (back) this.#begin(seconds); // it was set; it does not play from there yet
    else this.#apart.push(apart);
    if (this.#apart.length > REMEMBERED) this.#apart.shift();
    return back;
  }

  #begin(seconds) {
    this.began = seconds;
    this.rounds += 1;
  }

  get isRunning() {
    return this.#apart.length > 0;
  }

  /** Seconds of the sound at an event's time stamp in ms; NaN before it plays. */
  at(timeStamp) {
    return timeStamp / 1000 + middle(this.#apart);
  }

  /** The time stamp in ms at which a second of the sound is heard. */
  when(seconds) {
    return (seconds - middle(this.#apart)) * 1000;
  }
}
