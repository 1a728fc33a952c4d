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
  #round = 0;

  /** @param {{ clock: any, late: number, pad: any }} how late is in ms */
  constructor({ clock, late, pad }) {
    this.clock = clock;
    this.late = late;
    this.pad = pad;
  }

  /** Tap at some seconds of the sound, in each round anew; as strong as is given for each, or all alike. */
  tap(times, strengths = null) {
    this.#go((after, until) => between(times, after, until), (time, at) => this.pad.tap(strengths?.[times.indexOf(time)] ?? 1, at));
  }

  /** Lead the pointer over the pad. */
  lead() {
    this.#go(moves, (time, at) => this.pad.lead({ ...ledAt(time), pressure: 0.5 }, at));
  }

  #go(due, act) {
    this.#timer = setInterval(() => this.#look(due, act), LOOK_MS);
  }

  /** Do all that came due since the last look, the first from where the sound began: a busy page looks late. */
  #look(due, act) {
    const { began, rounds } = this.clock;
    if (rounds !== this.#round) [this.#round, this.#done] = [rounds, began - 1e-6];
    const heard = this.clock.at(performance.now() - this.late);
    if (!(heard > this.#done)) return; // it does not play yet, or its clock was corrected
    for (const time of due(this.#done, heard)) act(time, this.clock.when(time) + this.late);
    this.#done = heard;
  }

  stop() {
    clearInterval(this.#timer);
  }
}
