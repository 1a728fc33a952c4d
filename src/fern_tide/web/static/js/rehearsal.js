// The rehearsal hand: a stand-in for a device that tells when it was touched, as MIDI devices do, late by so many ms.

const LOOK_MS = 20;
const EVERY_S = 1 / 120; // moves of its pointer

/** Where the rehearsal hand leads the pointer at a second: a way that is known. Pure. */
export const ledAt = (seconds) => ({ across: 0.5 + 0.45 * Math.sin(Math.PI * seconds), up: 0.5 - 0.45 * Math.cos((2 * Math.PI * seconds) / 3) });

/** The times of an ascending list after one moment and up to another. Pure. */
export const between = (times, after, until) => times.filter((time) => time > after && time <= until);

/** The times of a move after one moment and up to another. Pure. */
export function moves(after, until) {
  const first = Math.floor(after / EVERY_S) + 1;
  const count = Math.max(0, Math.floor(until / EVERY_S) - first + 1);
  return Array.from({ length: count }, (_, at) => (first + at) * EVERY_S);
}

export class RehearsalHand {
  #timer = 0;
  #done = NaN;

  /** @param {{ clock: any, late: number, pad: any }} how late is in ms */
  constructor({ clock, late, pad }) {
    this.clock = clock;
    this.late = late;
    this.pad = pad;
  }

  /** Tap at some seconds of the sound, in each round anew. */
  tap(times) {
    this.#go((after, until) => between(times, after, until), (time, at) => this.pad.tap(1, at));
  }

  /** Lead the pointer over the pad. */
  lead() {
    this.#go(moves, (time, at) => this.pad.lead({ ...ledAt(time), pressure: 0.5 }, at));
  }

  /** Do all that came due since the last look; a sound that goes back is followed. */
  #go(due, act) {
    this.#timer = setInterval(() => {
      const heard = this.clock.at(performance.now() - this.late);
      if (!Number.isFinite(heard)) return void (this.#done = NaN);
      if (!(this.#done <= heard)) this.#done = heard - LOOK_MS / 1000; // it begins, or went back
      for (const time of due(this.#done, heard)) act(time, this.clock.when(time) + this.late);
      this.#done = heard;
    }, LOOK_MS);
  }

  stop() {
    clearInterval(this.#timer);
  }
}
