// A take as it is recorded: one round of taps, or of a pointer's way.

export const MOST_POINTS = 400_000;
const CHANNELS = { taps: ["strength"], gesture: ["across", "up", "pressure"], microphone: [] };

/** Where a pointer is in a box, from 0 to 1: across from the left, up from below. Pure. */
export function placeIn({ left, top, width, height }, { clientX, clientY }) {
  const inside = (value) => Math.min(1, Math.max(0, value));
  return { across: inside((clientX - left) / width), up: inside(1 - (clientY - top) / height) };
}

/** How strong a tap is: as hard as a pen presses, or the stronger the higher a pointer is. Pure. */
export const strengthOf = ({ pointerType, pressure }, { up }) => (pointerType === "pen" && pressure > 0 ? pressure : 0.2 + 0.8 * up);

export class Round {
  #times = [];
  #values;

  /** @param {{ kind: string, device: string, begin: number, latency: { ms: number, from: string } }} how */
  constructor({ kind, device, begin, latency }) {
    this.kind = kind;
    this.device = device;
    this.begin = begin;
    this.latency = latency;
    this.#values = Object.fromEntries(CHANNELS[kind].map((name) => [name, []]));
  }

  get length() {
    return this.#times.length;
  }

  /** The point that was taken last: its seconds and values; null before the first. */
  get last() {
    if (!this.length) return null;
    return { seconds: this.#times.at(-1), values: Object.fromEntries(Object.entries(this.#values).map(([name, all]) => [name, all.at(-1)])) };
  }

  get isFull() {
    return this.length >= MOST_POINTS;
  }

  /** Take a point in, if its time is known and there is room. */
  add(seconds, values) {
    if (!Number.isFinite(seconds) || this.isFull) return;
    this.#times.push(seconds);
    for (const name of Object.keys(this.#values)) this.#values[name].push(values[name] ?? 0);
  }

  /** How much is performed, of which round. */
  words(round) {
    return `Round ${round}: ${this.length} ${this.kind === "taps" ? "tap" : "point"}${this.length === 1 ? "" : "s"}`;
  }

  /** The take as it is stored, up to a second; null where nothing was performed. */
  plain(end) {
    if (!this.length) return null;
    const { kind, device, begin, latency } = this;
    const last = Math.max(end, begin + 1e-3);
    return { take: 1, kind, device, begin_s: begin, end_s: last, latency_s: latency.ms / 1000, latency_from: latency.from, times_s: this.#times, values: this.#values };
  }
}
