// The shared time axis: which frames a plot shows, and where a frame is. Zoomed with the wheel, one for all plots of a room.

export const LEAST_FRAMES = 12;

/** The pixel of a frame's start. Pure. */
export const xOf = (frame, { from, to, width }) => ((frame - from) / (to - from)) * width;

/** The frame under a pixel. Pure. */
export const frameUnder = (x, view) => Math.floor(frameOf(x, view));

/** The time under a place, in frames with fractions. Pure. */
export const frameOf = (x, { from, to, width }) => from + (x / width) * (to - from);

/** Zoom by a factor about a share of the width, staying inside the project. Pure. */
export function zoomed({ from, to }, { by, about, frames }) {
  const span = Math.min(frames, Math.max(Math.min(LEAST_FRAMES, frames), (to - from) * by));
  const start = Math.min(frames - span, Math.max(0, from + about * (to - from - span)));
  return { from: start, to: start + span };
}

/** The view that shows a frame: the same, or turned like a page. Pure. */
export function pageOf(frame, { from, to }, frames) {
  if (frame >= from && frame < to) return { from, to };
  const span = to - from;
  const start = Math.min(frames - span, Math.max(0, frame - span * 0.05));
  return { from: start, to: start + span };
}

/** Ticks of the ruler: a step that leaves room for words, in frames, with the words. Pure. */
export function ticks({ from, to, width }, [top, bottom], roomPx = 74) {
  const perSecond = top / bottom;
  const least = ((to - from) / width) * roomPx;
  const steps = [1, 2, 5, 10].filter((n) => n < perSecond).concat([1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800].map((s) => s * perSecond));
  const step = steps.find((n) => n >= least) ?? steps.at(-1);
  const found = [];
  for (let k = Math.ceil(from / step - 1e-9); k * step <= to; k += 1) {
    const frame = k * step;
    const seconds = frame / perSecond;
    const words = step < perSecond ? `${Math.round(frame)}f` : `${Math.floor(seconds / 60 + 1e-9)}:${String(Math.round(seconds) % 60).padStart(2, "0")}`;
    found.push({ frame, words });
  }
  return found;
}

export class Axis extends EventTarget {
  constructor(frames) {
    super();
    this.frames = Math.max(1, frames);
    this.view = { from: 0, to: this.frames };
  }

  resize(frames) {
    if (frames === this.frames) return;
    this.frames = Math.max(1, frames);
    this.set({ from: 0, to: this.frames });
  }

  set(view) {
    if (view.from === this.view.from && view.to === this.view.to) return;
    this.view = view;
    this.dispatchEvent(new Event("view"));
  }

  /** Zoom about a frame where it is in view, else about the middle. */
  zoomAt(frame, by) {
    const share = (frame + 0.5 - this.view.from) / (this.view.to - this.view.from);
    this.zoom(by, share >= 0 && share <= 1 ? share : 0.5);
  }

  zoom(by, about = 0.5) {
    this.set(zoomed(this.view, { by, about, frames: this.frames }));
  }

  pan(frames) {
    const span = this.view.to - this.view.from;
    const from = Math.min(this.frames - span, Math.max(0, this.view.from + frames));
    this.set({ from, to: from + span });
  }

  follow(frame) {
    this.set(pageOf(frame, this.view, this.frames));
  }
}
