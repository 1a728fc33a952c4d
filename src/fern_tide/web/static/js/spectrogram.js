// The spectrogram with the bands that are read from it, the pitches beside it, and the spectrum at the playhead.
// Geometry is pure and exported for tests. Levels come from Python as bytes: 0 is -100 dB and below, 255 is 0 dB.

import { colours, em, mono, pen, sans } from "./canvas.js";
import { xOf } from "./axis.js";
import { project } from "./project.js";
import { getBytes, latest } from "./server.js";
import { transport } from "./transport.js";

export const LOW_HZ = 25;
export const HIGH_HZ = 20000;
export const ROWS = 128;
export const EDGE_PX = 5;
const TILE = 1024;
const TILES = 48;
const SHOWN_STEPS = 150; // what is this much below the loudest is paper: 59 dB
const OCTAVES = Math.log2(HIGH_HZ / LOW_HZ);

/** The pixel row of a frequency, from the top. Pure. */
export const rowOf = (hz, height) => height * (1 - Math.log2(Math.max(hz, 1) / LOW_HZ) / OCTAVES);

/** The frequency at a pixel row: the inverse of rowOf. Pure. */
export const hzAt = (y, height) => LOW_HZ * 2 ** (OCTAVES * (1 - y / height));

/** A frequency to as many figures as people use: 41, 180, 1240, 11300. Pure. */
export function tidyHz(hz) {
  const digits = 10 ** Math.max(0, Math.floor(Math.log10(Math.max(hz, 1))) - 2);
  return Math.max(1, Math.round(hz / digits) * digits);
}

/** A band in words: '40-180 Hz', '3-11 kHz'. Pure. */
export function bandWords(low, high) {
  const number = (hz, by) => String(Math.round((hz / by) * 10) / 10);
  return low >= 1000 ? `${number(low, 1000)}-${number(high, 1000)} kHz` : `${Math.round(low)}-${high >= 1000 ? `${number(high, 1000)}k` : Math.round(high)} Hz`;
}

/** What a press at y takes hold of: an edge of a band (the chosen one first), the inside of the chosen one, or nothing. Pure. */
export function heldBand(y, bands, chosen, height) {
  const order = [...bands].sort((a, b) => Number(b.id === chosen) - Number(a.id === chosen));
  for (const band of order) {
    if (Math.abs(rowOf(band.high, height) - y) <= EDGE_PX) return { band, part: "high" };
    if (Math.abs(rowOf(band.low, height) - y) <= EDGE_PX) return { band, part: "low" };
  }
  const inside = order.find((band) => band.id === chosen && y > rowOf(band.high, height) && y < rowOf(band.low, height));
  return inside ? { band: inside, part: "all" } : null;
}

/** A band after its edge, or all of it, was dragged from one row to another. Pure. */
export function draggedBand({ low, high }, part, { from, to, height }) {
  const by = hzAt(to, height) / hzAt(from, height);
  const least = 2 ** (1 / 12);
  if (part === "all") {
    const held = Math.min(HIGH_HZ / high, Math.max(LOW_HZ / low, by));
    return { low: tidyHz(low * held), high: tidyHz(high * held) };
  }
  const edge = tidyHz(Math.min(HIGH_HZ, Math.max(20, hzAt(to, height))));
  if (part === "low") return { low: Math.min(edge, tidyHz(high / least) - 1), high };
  return { low, high: Math.max(edge, tidyHz(low * least) + 1) };
}

/** The colour of every level, from paper to deep tide, below a loudest level. Pure but for the colours. */
function palette(top, ink) {
  const stops = [ink.sheet, ink["tide-wash"], ink.tide, ink["tide-ink"]].map((hex) => [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16)));
  const table = new Uint32Array(256);
  for (let level = 0; level < 256; level += 1) {
    const share = Math.min(1, Math.max(0, (level - top + SHOWN_STEPS) / SHOWN_STEPS)) ** 1.5 * 3;
    const at = Math.min(2, Math.floor(share));
    const [r, g, b] = stops[at].map((value, part) => Math.round(value + (stops[at + 1][part] - value) * (share - at)));
    table[level] = (255 << 24) | (b << 16) | (g << 8) | r;
  }
  return table;
}

export class Spectrogram {
  constructor({ axis, onDrawn }) {
    this.axis = axis;
    this.onDrawn = onDrawn;
    this.track = null;
    this.tilt = 0;
    this.picture = null;
    this.mean = null;
    this.tiles = new Map();
    this.fetch = latest(() => this.#fetch());
  }

  /** Show a track; what is drawn of another is forgotten. */
  show(track) {
    if (this.track === track) return;
    this.track = track;
    this.forget();
  }

  forget() {
    this.picture = null;
    this.mean = null;
    this.top = null;
    this.tiles.clear();
  }

  /** Whether the track is one of the project's: after an undo it may be gone before the room is drawn anew. */
  get #isThere() {
    return project.status.tracks.includes(this.track);
  }

  url(path) {
    return project.url(`tracks/${this.track}/${path}`);
  }

  /** Take in the picture and the average that came with the room. */
  take({ head, arrays }) {
    this.mean = { average: arrays[head.average], tilt: arrays[head.tilt] };
    this.width = head.columns;
    this.#paint(arrays[head.picture], head.columns, { from: head.view[0], to: head.view[1] });
  }

  /** Fetch anew for the view as it is, at a width; with a new tilt the average as well. */
  async load(width, getPack) {
    this.width = Math.ceil(width);
    const { track, tilt } = this;
    const [pack] = await Promise.all([this.mean || !this.#isThere ? null : getPack(this.url(`average?tilt=${this.tilt}`)), this.fetch()]);
    if (pack && track === this.track && tilt === this.tilt) this.mean = { average: pack.arrays[pack.head.average], tilt: pack.arrays[pack.head.tilt] };
  }

  async #fetch() {
    const { track, tilt, width } = this;
    const view = { ...this.axis.view };
    if (!this.#isThere || !width) return;
    const columns = Math.min(width, 2000);
    const levels = await getBytes(this.url(`spectrogram?from=${view.from}&to=${view.to}&columns=${columns}&tilt=${tilt}`));
    if (track !== this.track) return;
    this.#paint(levels, columns, view);
    this.onDrawn();
  }

  #paint(levels, columns, view) {
    this.top ??= loudest(levels);
    const image = new ImageData(columns, ROWS);
    const pixels = new Uint32Array(image.data.buffer);
    const table = palette(this.top, colours());
    for (let row = 0; row < ROWS; row += 1) {
      const to = (ROWS - 1 - row) * columns;
      for (let x = 0; x < columns; x += 1) pixels[to + x] = table[levels[row * columns + x]];
    }
    const bitmap = new OffscreenCanvas(columns, ROWS);
    bitmap.getContext("2d").putImageData(image, 0, 0);
    this.picture = { bitmap, view };
  }

  /** Draw what there is over the view as it is now, stretched until the new one comes. */
  draw(canvas) {
    const { context, width, height } = pen(canvas);
    if (!this.picture) return;
    const { bitmap, view } = this.picture;
    const now = { ...this.axis.view, width };
    const [left, right] = [xOf(view.from, now), xOf(view.to, now)];
    context.imageSmoothingEnabled = bitmap.width > width;
    context.drawImage(bitmap, left, 0, right - left, height);
  }

  /** The levels of a frame, or null until their tile is there. */
  spectrum(frame) {
    const first = Math.floor(frame / TILE) * TILE;
    const tile = this.#tile(first);
    if (transport.playing) this.#tile(first + TILE);
    if (!tile) return null;
    const at = (frame - first) * ROWS;
    return at + ROWS <= tile.length ? tile.subarray(at, at + ROWS) : null;
  }

  #tile(first) {
    if (!this.#isThere || first >= project.status.frames) return null;
    if (!this.tiles.has(first)) {
      this.tiles.set(first, null);
      if (this.tiles.size > TILES) this.tiles.delete(this.tiles.keys().next().value);
      const { tiles } = this;
      getBytes(this.url(`spectra?from=${first}&to=${first + TILE}`)).then(
        (levels) => tiles.set(first, levels) && this.onDrawn(),
        () => tiles.delete(first),
      );
    }
    return this.tiles.get(first);
  }

  /** Draw the spectrum at a frame in front of the average; bands' edges run across. */
  drawSpectrum(canvas, { frame, bands }) {
    const { context, width, height } = pen(canvas);
    const ink = colours();
    const top = (this.top ?? 200) + 12;
    const x = (level) => Math.max(0, Math.min(1, (level - top + SHOWN_STEPS + 12) / (SHOWN_STEPS + 12))) * (width - 8);
    const trace = (levels, tilt) => {
      context.beginPath();
      context.moveTo(0, height);
      for (let row = 0; row < ROWS; row += 1) context.lineTo(x(levels[row] ? levels[row] + (tilt?.[row] ?? 0) : 0), height * (1 - (row + 0.5) / ROWS));
      context.lineTo(0, 0);
    };
    if (this.mean) {
      context.fillStyle = ink["tide-wash"];
      trace(this.mean.average, this.mean.tilt);
      context.fill();
    }
    context.setLineDash([1.5, 3]);
    context.strokeStyle = ink["ink-2"];
    for (const hz of bands.flatMap(({ low, high }) => [low, high])) {
      const y = rowOf(hz, height);
      context.beginPath();
      context.moveTo(0, y);
      context.lineTo(width, y);
      context.stroke();
    }
    context.setLineDash([]);
    const now = this.spectrum(frame);
    if (!now) return;
    context.strokeStyle = ink.tide;
    context.lineWidth = 1.6;
    context.lineJoin = "round";
    trace(now, this.mean?.tilt);
    context.stroke();
  }
}

/** The level that only one in two hundred is above. Pure. */
export function loudest(levels) {
  const counts = new Uint32Array(256);
  for (const level of levels) counts[level] += 1;
  let left = levels.length / 200;
  let top = 255;
  while (top > SHOWN_STEPS && (left -= counts[top]) > 0) top -= 1;
  return top;
}

export function drawPitches(canvas) {
  const { context, height } = pen(canvas);
  const ink = colours();
  context.font = mono();
  context.fillStyle = ink["ink-2"];
  for (const [hz, words] of [[40, "40"], [80, "80"], [150, "150"], [300, "300"], [600, "600"], [1200, "1.2k"], [2500, "2.5k"], [5000, "5k"], [10000, "10k"], [16000, "16k"]]) {
    context.fillText(words, 6, rowOf(hz, height) + em(4));
  }
}

/** Draw the boxes of bands; the chosen one firm. */
export function drawBands(canvas, { bands, chosen }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  context.font = sans(600);
  const taken = [];
  for (const band of [...bands].sort((a, b) => Number(b.id === chosen) - Number(a.id === chosen))) {
    const [top, bottom] = [rowOf(band.high, height), rowOf(band.low, height)];
    context.strokeStyle = ink["tide-ink"];
    context.lineWidth = band.id === chosen ? 2 : 1;
    context.strokeRect(context.lineWidth / 2, Math.round(top) + 0.5, width - context.lineWidth, Math.max(1, Math.round(bottom - top)));
    const words = `${band.name}  ${bandWords(band.low, band.high)}`;
    const wide = context.measureText(words).width + 14;
    let left = 6;
    const y = Math.min(height - em(20), Math.max(2, top + 3));
    const beside = ({ y: there }) => Math.abs(there - y) < em(19);
    while (taken.some((other) => beside(other) && left < other.right)) left = Math.max(...taken.filter(beside).map((other) => other.right)) + 4;
    taken.push({ y, right: left + wide });
    context.fillStyle = ink.sheet;
    context.lineWidth = 1;
    context.beginPath();
    context.roundRect(left, y, wide, em(17), em(8.5));
    context.fill();
    context.stroke();
    context.fillStyle = ink["tide-ink"];
    context.fillText(words, left + 7, y + em(12.5));
  }
}
