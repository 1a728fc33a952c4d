// The ribbon: a ruler with beats and markers over a waveform with hits, on the shared time axis.
// Drag the ruler to scrub, the waveform to select; click either to move the playhead; wheel to zoom.

import { colours, em, mono, pen } from "./canvas.js";
import { ticks, xOf } from "./axis.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { getPack, newest } from "./server.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

/** How tall the ruler is. */
export const ruler = () => Math.round(em(24));

/** A waveform as the ribbon draws it, from what the server sends: signed bytes, lows and then highs. */
export function waveOf({ head, arrays }) {
  const bytes = arrays[head.waveform];
  const half = bytes.length / 2;
  const rows = [0, half].map((from) => new Int8Array(bytes.buffer, bytes.byteOffset + from, half));
  return { rows, spanS: head.span_s, startS: head.start_s, unit: head.top / 127, gain: 1 };
}

/** The waveform of the track that a ribbon shows, loaded once for each track. */
export class RibbonWave {
  /** The waveform and how much it is drawn larger; null until it is there. @type {any} */
  wave = null;
  #track = null;
  #ask = newest((id) => getPack(project.url(`tracks/${id}/waveform`)));

  async load(id) {
    if (!id || this.#track === id) return;
    this.#track = id;
    this.wave = null;
    try {
      const pack = await this.#ask(id);
      if (!pack) return;
      const wave = waveOf(pack);
      this.wave = { ...wave, gain: Math.min(8, 1 / Math.max(wave.unit * 127, 1e-3)) };
    } catch (wrong) {
      this.#track = null;
      if (wrong.status === 202) work.awaits();
      else notice(wrong.message);
    }
  }
}

/** Lowest and highest of every pixel column of a waveform over a view. Pure. */
export function waveColumns([lows, highs], { spanS, startS, perSecond, view, width }) {
  const out = { lows: new Float32Array(width), highs: new Float32Array(width) };
  const spansPerPx = (view.to - view.from) / perSecond / spanS / width;
  const first = (view.from / perSecond - startS) / spanS;
  for (let x = 0; x < width; x += 1) {
    const begin = Math.floor(first + x * spansPerPx);
    const end = Math.max(begin + 1, Math.floor(first + (x + 1) * spansPerPx));
    for (let i = Math.max(0, begin); i < Math.min(highs.length, end); i += 1) {
      if (lows[i] < out.lows[x]) out.lows[x] = lows[i];
      if (highs[i] > out.highs[x]) out.highs[x] = highs[i];
    }
  }
  return out;
}

const perSecond = () => transport.rate[0] / transport.rate[1];
export const markerFrame = (marker) => marker.time_s * perSecond();

/** Draw the ribbon. hits: whether they are drawn; picked: the hit that was clicked, in frames; moved: frames a track is being moved by. */
export function drawRibbon(canvas, { wave, axis, hits = false, picked = null, moved = 0, grid = 0 }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const view = { ...axis.view, width };
  const span = (from, to, colour) => {
    context.fillStyle = colour;
    context.fillRect(xOf(from, view), 0, xOf(to, view) - xOf(from, view), height);
  };
  if (transport.selection) span(...transport.selection, ink["fern-wash"]);
  drawRuler(context, view, ink);
  drawBeats(context, view, ink, grid);
  if (wave) {
    const startS = wave.startS + moved / perSecond();
    drawWave(context, { ...wave, startS }, { view: axis.view, width: Math.ceil(width), height, ink });
  }
  if (hits) drawHits(context, view, { ink, picked, moved, height });
  const { work, frames } = project.status;
  if (work) {
    context.globalAlpha = 0.55;
    span(0, work[0], ink.paper);
    span(work[1], frames, ink.paper);
    context.globalAlpha = 1;
  }
  drawMarkers(context, view, height);
}

function drawRuler(context, view, ink) {
  context.font = mono();
  for (const { frame, words } of ticks(view, transport.rate)) {
    const x = Math.round(xOf(frame, view)) + 0.5;
    context.strokeStyle = ink.dots;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(x, 0);
    context.lineTo(x, em(13));
    context.stroke();
    context.fillStyle = ink["ink-2"];
    if (x < view.width - em(30)) context.fillText(words, x + 4, em(11));
  }
  context.strokeStyle = ink.rule;
  context.beginPath();
  context.moveTo(0, ruler() + 0.5);
  context.lineTo(view.width, ruler() + 0.5);
  context.stroke();
}

/** Which beats are drawn so that they stay apart: all, or only those that begin a bar, or every so many bars. Pure. */
export function shownBeats(beats, inBar, { from, to, width }, leastPx = 5) {
  const first = beats.findIndex((beat) => beat >= from);
  if (first < 0) return [];
  const gap = beats.length > 1 ? (beats[beats.length - 1] - beats[0]) / (beats.length - 1) : to - from;
  const px = (gap / (to - from)) * width;
  const bar = Math.max(1, ...inBar.slice(0, 32));
  let every = px >= leastPx ? 0 : 1;
  while (every && px * bar * every < leastPx) every *= 2;
  const found = [];
  let bars = 0;
  for (let i = 0; i < beats.length && beats[i] <= to; i += 1) {
    const strong = inBar[i] === 1;
    if (strong) bars += 1;
    if (beats[i] < from || (every && (!strong || bars % every))) continue;
    found.push({ frame: beats[i], strong });
  }
  return found;
}

function drawBeats(context, view, ink, grid) {
  context.fillStyle = ink.pollen;
  for (const { frame, strong } of shownBeats(rhythm.beats, rhythm.inBar, view)) {
    const x = Math.round(xOf(frame + grid, view));
    const top = Math.round(em(strong ? 13 : 17));
    context.fillRect(x, top, strong ? 2 : 1, ruler() - top);
  }
}

function drawHits(context, view, { ink, picked, moved, height }) {
  context.fillStyle = ink["tide-ink"];
  for (let i = 0; i < rhythm.hits.length; i += 1) {
    const x = xOf(rhythm.hits[i] + moved, view);
    if (x < -2 || x > view.width + 2) continue;
    const tall = 3 + 8 * rhythm.strengths[i];
    context.fillRect(Math.round(x), height - tall, 1, tall);
    if (picked !== null && Math.abs(picked - rhythm.hits[i]) <= 0.5) context.fillRect(Math.round(x) - 1, ruler(), 3, height - ruler());
  }
}

function drawMarkers(context, view, height) {
  context.font = mono();
  for (const marker of project.status.markers) {
    const x = xOf(markerFrame(marker), view);
    if (x < -8 || x > view.width + 8) continue;
    context.fillStyle = marker.colour;
    context.fillRect(Math.round(x), ruler() - 6, 1, height);
    context.beginPath();
    context.moveTo(x, ruler() - 11);
    context.lineTo(x + 5, ruler() - 5);
    context.lineTo(x, ruler() + 1);
    context.lineTo(x - 5, ruler() - 5);
    context.fill();
  }
}

function drawWave(context, wave, { view, width, height, ink }) {
  const { lows, highs } = waveColumns(wave.rows, { ...wave, perSecond: perSecond(), view, width });
  const middle = ruler() + (height - ruler()) / 2;
  const size = ((height - ruler()) / 2 - 3) * wave.gain * wave.unit;
  context.fillStyle = ink.tide;
  context.globalAlpha = 0.5;
  for (let x = 0; x < width; x += 1) {
    const [top, bottom] = [middle - highs[x] * size, middle - lows[x] * size];
    context.fillRect(x, top, 1, Math.max(1, bottom - top));
  }
  context.globalAlpha = 1;
}

/** Wheel over any plot: zoom about the pointer; sideways, or with Shift, move along. */
export function mountWheel(element, { axis, plot, signal }) {
  element.addEventListener(
    "wheel",
    (event) => {
      const { left, width } = plot().getBoundingClientRect();
      const about = (event.clientX - left) / width;
      const list = event.target.closest(".lanes-scroll");
      const scrolls = list && list.scrollHeight > list.clientHeight && !event.ctrlKey && !event.shiftKey && !event.deltaX;
      if (about < 0 || about > 1 || scrolls) return;
      event.preventDefault();
      const along = event.shiftKey ? event.deltaY : event.deltaX;
      if (along) axis.pan((along / width) * (axis.view.to - axis.view.from));
      else axis.zoom(Math.exp(event.deltaY * 0.002), about);
    },
    { signal, passive: false },
  );
}
