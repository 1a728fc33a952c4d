// Samples on their way to Python: as soon as another frame of the project is whole, one answer after the other.

import { joined } from "./wav.js";

const MOST_S = 5; // that wait: what is older would only come late
const FASTEST = 400; // blocks whose ways here are compared

/** The first sample of a frame, at a rate that is a ratio. Pure. */
export const firstSample = (frame, [top, bottom], hz) => Math.ceil((frame * hz * bottom) / top);

/** Channels, one after the other, as many as are asked for; one that is missing is like the first. Pure. */
export function planar(channels, count) {
  const length = channels[0].length;
  const samples = new Float32Array(count * length);
  for (let place = 0; place < count; place += 1) samples.set(channels[place] ?? channels[0], place * length);
  return samples;
}

const lengthOf = (blocks) => blocks.reduce((sum, [first]) => sum + first.length, 0);

export class Feed {
  #blocks = [];
  #waiting = 0;
  #total = 0;
  #frame = 0;
  #busy = false;
  #heardAt = 0;
  #ways = [];

  /** @param {{ rate: [number, number], hz: number, channels: number, now: () => number, send: (samples: Float32Array) => Promise<any>, onAnswer: (answer: any, heardAt: number) => any, onWrong: (wrong: any) => any }} how heardAt is when the last of the samples was heard, by the clock now() in ms */
  constructor(how) {
    this.how = how;
  }

  /** Take blocks; at is when their first sample was heard, in seconds of the device's clock. */
  add({ at, blocks }) {
    const { hz, now } = this.how;
    const length = lengthOf(blocks);
    const ends = 1000 * (at + length / hz);
    this.#ways.push(now() - ends); // the shortest way here is as good as none
    if (this.#ways.length > FASTEST) this.#ways.shift();
    this.#heardAt = ends + Math.min(...this.#ways);
    this.#blocks.push(...blocks);
    this.#waiting += length;
    while (this.#waiting > MOST_S * hz) this.#waiting -= lengthOf([this.#blocks.shift()]);
    this.#pump();
  }

  /** Whether the next frame is whole once what waits is heard. */
  get #isDue() {
    return this.#total + this.#waiting >= firstSample(this.#frame + 1, this.how.rate, this.how.hz);
  }

  async #pump() {
    if (this.#busy) return;
    this.#busy = true;
    const { rate, hz, channels, send, onAnswer, onWrong } = this.how;
    try {
      while (this.#isDue) {
        const [blocks, heardAt] = [this.#blocks.splice(0), this.#heardAt];
        this.#total += this.#waiting;
        this.#waiting = 0;
        this.#frame = Math.floor((this.#total * rate[0]) / (hz * rate[1]));
        onAnswer(await send(planar(joined(blocks), channels)), heardAt);
      }
    } catch (wrong) {
      onWrong(wrong);
    } finally {
      this.#busy = false;
    }
  }
}
