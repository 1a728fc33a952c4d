// The transport: sound is the clock, frames are dropped and never slowed. One playhead for all rooms.

import { byId } from "./dom.js";
import { project } from "./project.js";
import { getJson, newest } from "./server.js";
import { telling } from "./notices.js";
import { unhurried } from "./unhurried.js";

const EARLY = 1e-6; // of a frame: a frame's own time, rounded to a double, still belongs to it
const SCRUB_MS = 140; // how long a place is heard while the hand moves over it
const MEASURED = 40; // draws that the measured distance is averaged over

/** The frame on screen at a time: floor(t * rate). Pure. */
export const frameAt = (seconds, [top, bottom]) => Math.floor((seconds * top) / bottom + EARLY);

/** Minutes, seconds and frames of a frame. Pure. */
export function clockWords(frame, [top, bottom]) {
  const second = Math.floor((frame * bottom) / top + EARLY);
  const rest = frame - Math.ceil((second * top) / bottom - EARLY);
  const two = (n) => String(n).padStart(2, "0");
  return `${two(Math.floor(second / 60))}:${two(second % 60)}:${two(rest)}`;
}

/** The next place of a playhead that loops between two frames, the second left out. Pure. */
export const looped = (frame, range) => (range && (frame >= range[1] || frame < range[0]) ? range[0] : frame);

export const transport = new (class extends EventTarget {
  frame = 0;
  selection = null;
  looping = false;
  other = null;
  playing = false;
  #apart = [];
  #wall = null;
  #ask = newest(() => (this.other ? { url: this.other } : telling(() => getJson(project.url("heard")))));

  open() {
    this.audio = byId("heard");
    const kept = JSON.parse(sessionStorage.getItem(`ft:${project.key}`) ?? "{}");
    this.frame = Math.min(kept.frame ?? 0, this.last);
    this.selection = kept.selection ?? null;
    if (kept.looping) this.loop();
    byId("play").addEventListener("click", () => this.toggle());
    byId("loop").addEventListener("click", () => this.loop());
    this.audio.addEventListener("ended", () => this.#ended());
    project.addEventListener("status", () => (this.frame > this.last ? this.seek(this.last) : this.#write()));
    const again = unhurried(() => this.load());
    project.addEventListener("revised", again);
    this.load();
    this.show();
  }

  get rate() {
    return project.status.rate;
  }

  get last() {
    return Math.max(0, project.status.frames - 1);
  }

  /** Load what is heard; it changes only when tracks or their switches do. */
  async load() {
    const found = await this.#ask();
    if (!found || this.audio.dataset.url === (found.url ?? "")) return;
    const wasPlaying = this.playing;
    this.stop();
    this.audio.dataset.url = found.url ?? "";
    if (found.url) this.audio.src = found.url;
    else this.audio.removeAttribute("src");
    if (wasPlaying) this.play();
  }

  get range() {
    if (!this.looping) return null;
    return this.selection ?? project.status.work ?? [0, this.last + 1];
  }

  /** Hear something else than the mix, such as one band, or with null the mix again. */
  listen(url) {
    this.other = url;
    return this.load();
  }

  /** Move the playhead with the hand and hear what lies there. */
  scrub(frame) {
    this.seek(frame);
    if (this.playing || !this.audio.dataset.url) return;
    this.#setSound(this.frame);
    this.audio.play().catch(() => {});
    clearTimeout(this.scrubbing);
    this.scrubbing = setTimeout(() => this.playing || this.audio.pause(), SCRUB_MS);
  }

  toggle() {
    if (this.playing) this.stop();
    else this.play();
  }

  async play() {
    if (!project.status.frames) return;
    if (this.frame >= this.last) this.frame = 0;
    this.frame = looped(this.frame, this.range);
    this.playing = true;
    this.#apart = [];
    this.#setSound(this.frame);
    this.#paintButton();
    if (this.audio.dataset.url) {
      try {
        await this.audio.play();
      } catch (wrong) {
        if (wrong.name !== "AbortError") this.stop();
        return;
      }
    }
    requestAnimationFrame(() => this.#tick());
  }

  stop() {
    if (!this.playing) return;
    this.playing = false;
    this.audio.pause();
    this.#paintButton();
    this.show();
  }

  seek(frame) {
    this.frame = Math.min(this.last, Math.max(0, Math.round(frame)));
    if (this.playing) this.#setSound(this.frame);
    this.show();
  }

  loop() {
    this.looping = !this.looping;
    byId("loop").setAttribute("aria-pressed", String(this.looping));
    this.#keep();
  }

  select(range) {
    this.selection = range;
    this.dispatchEvent(new Event("selection"));
    this.show();
  }

  #setSound(frame) {
    const seconds = (frame * this.rate[1]) / this.rate[0];
    if (this.audio.dataset.url) this.audio.currentTime = seconds;
    this.#wall = performance.now() / 1000 - seconds;
  }

  get seconds() {
    return this.audio.dataset.url ? this.audio.currentTime : performance.now() / 1000 - this.#wall;
  }

  #tick() {
    if (!this.playing) return;
    this.#measure();
    const frame = frameAt(this.seconds, this.rate);
    const next = looped(frame, this.range);
    if (next !== frame) this.#setSound(next);
    if (!this.range && frame > this.last) {
      this.#ended();
      return;
    }
    if (next !== this.frame) {
      this.frame = Math.min(next, this.last);
      this.show();
    }
    requestAnimationFrame(() => this.#tick());
  }

  /** What is on screen now was drawn in the last call; the sound has gone on since. */
  #measure() {
    const at = (this.seconds * this.rate[0]) / this.rate[1];
    this.#apart.push(at - (this.frame + 0.5));
    if (this.#apart.length > MEASURED) this.#apart.shift();
    const mean = this.#apart.reduce((a, b) => a + b, 0) / this.#apart.length;
    this.apart = Math.abs(mean);
    if (this.#apart.length === MEASURED) {
      byId("sync-words").textContent = `sound and picture ${this.apart.toFixed(1)} frames apart`;
    }
  }

  #ended() {
    if (this.looping) {
      this.frame = this.range[0];
      this.playing = false;
      this.play();
      return;
    }
    this.stop();
    this.seek(this.last);
  }

  #write() {
    byId("clock").textContent = clockWords(this.frame, this.rate);
    byId("frame-words").textContent = `frame ${this.frame} of ${project.status.frames}`;
  }

  /** Show the playhead everywhere. */
  show() {
    this.#write();
    this.#keep();
    this.dispatchEvent(new Event("frame"));
  }

  /** Keep what a reload should find again. */
  #keep() {
    const { frame, selection, looping } = this;
    sessionStorage.setItem(`ft:${project.key}`, JSON.stringify({ frame, selection, looping }));
  }

  #paintButton() {
    byId("play").setAttribute("aria-label", this.playing ? "Stop" : "Play");
    byId("play-shape").setAttribute("d", this.playing ? "M3 2h4v12H3zM9 2h4v12H9z" : "M4 2l10 6-10 6z");
  }
})();
