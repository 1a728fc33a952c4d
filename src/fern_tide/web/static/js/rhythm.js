// Beats of the project and hits of the shown track, in frames: for the ruler, for snapping, and for keys that go by beats.

import { project } from "./project.js";
import { getPack, newest } from "./server.js";
import { unhurried } from "./unhurried.js";

const SNAP_PX = 9;

/** The number of an ascending list nearest to a value, or null. Pure. */
export function nearest(list, value) {
  if (!list?.length) return null;
  let [low, high] = [0, list.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low > 0 && value - list[low - 1] <= list[low] - value ? list[low - 1] : list[low];
}

/** The next number of an ascending list in a direction, or null. Pure. */
export function following(list, value, direction) {
  if (!list?.length) return null;
  if (direction > 0) return list.find((item) => item > value) ?? null;
  return list.findLast((item) => item < value) ?? null;
}

export const rhythm = new (class extends EventTarget {
  beats = [];
  inBar = [];
  hits = [];
  strengths = [];
  bpm = 0;
  snapping = false;
  track = null;
  #ask = newest((track) => getPack(project.url(`rhythm${track ? `?track=${track}` : ""}`)));

  open() {
    const again = unhurried(() => this.load(this.track));
    project.addEventListener("revised", again);
    this.load(null);
  }

  /** Load the beats, and the hits of a track; what is still being found comes with the next load. */
  async load(track) {
    this.track = track;
    let pack;
    try {
      pack = await this.#ask(track);
    } catch {
      return;
    }
    if (pack && track === this.track) this.take(track, pack);
  }

  /** Take in beats and hits that came with something else. */
  take(track, { head, arrays }) {
    this.track = track;
    this.beats = arrays[head.beats];
    this.inBar = arrays[head.in_bar];
    this.hits = head.hits === undefined ? [] : arrays[head.hits];
    this.strengths = head.strengths === undefined ? [] : arrays[head.strengths];
    this.bpm = head.bpm;
    this.onGrid = head.on_grid;
    this.dispatchEvent(new Event("rhythm"));
  }

  /** The frame that a dragged frame lands on: the nearest beat when snapping is on and it is near on the screen. */
  snapped(frame, framesPerPx) {
    if (!this.snapping) return frame;
    const beat = nearest(this.beats, frame);
    return beat !== null && Math.abs(beat - frame) <= SNAP_PX * framesPerPx ? Math.floor(beat + 1e-4) : frame;
  }

  /** The frame of the next beat in a direction. */
  beatFrom(frame, direction) {
    const frames = Array.from(this.beats, (beat) => Math.floor(beat + 1e-4));
    return following(frames, frame, direction);
  }
})();
