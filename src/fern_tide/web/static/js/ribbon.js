// The ribbon: a ruler and a waveform over the shared time axis. Click to move the playhead, drag to select, wheel to zoom.

import { colours, MONO, pen } from "./canvas.js";
import { frameUnder, ticks, xOf } from "./axis.js";
import { transport } from "./transport.js";

const RULER_PX = 22;
const DRAG_FROM_PX = 4;

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

export function drawRibbon(canvas, { wave, axis }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const view = { ...axis.view, width };
  if (transport.selection) {
    const [a, b] = transport.selection.map((frame) => xOf(frame, view));
    context.fillStyle = ink["fern-wash"];
    context.fillRect(a, 0, b - a, height);
  }
  drawRuler(context, view, height, ink);
  if (wave) drawWave(context, wave, { view: axis.view, width: Math.ceil(width), height, ink });
}

function drawRuler(context, view, height, ink) {
  context.font = MONO;
  for (const { frame, words } of ticks(view, transport.rate)) {
    const x = Math.round(xOf(frame, view)) + 0.5;
    context.strokeStyle = ink.dots;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(x, 0);
    context.lineTo(x, RULER_PX);
    context.stroke();
    context.fillStyle = ink["ink-2"];
    if (x < view.width - 30) context.fillText(words, x + 4, 12);
  }
  context.strokeStyle = ink.rule;
  context.beginPath();
  context.moveTo(0, RULER_PX + 0.5);
  context.lineTo(view.width, RULER_PX + 0.5);
  context.stroke();
}

function drawWave(context, wave, { view, width, height, ink }) {
  const { lows, highs } = waveColumns(wave.rows, { ...wave, perSecond: transport.rate[0] / transport.rate[1], view, width });
  const middle = RULER_PX + (height - RULER_PX) / 2;
  const reach = (height - RULER_PX) / 2 - 3;
  context.fillStyle = ink.tide;
  context.globalAlpha = 0.5;
  for (let x = 0; x < width; x += 1) {
    const [top, bottom] = [middle - highs[x] * wave.gain * reach, middle - lows[x] * wave.gain * reach];
    context.fillRect(x, top, 1, Math.max(1, bottom - top));
  }
  context.globalAlpha = 1;
}

/** Let a ribbon move the playhead, select and zoom. */
export function mountRibbon(canvas, { axis, signal }) {
  const frameOf = (event) => frameUnder(event.offsetX, { ...axis.view, width: canvas.getBoundingClientRect().width });
  canvas.addEventListener(
    "pointerdown",
    (down) => {
      if (down.button !== 0) return;
      canvas.setPointerCapture(down.pointerId);
      const start = frameOf(down);
      let selecting = false;
      const drag = new AbortController();
      const options = { signal: AbortSignal.any([signal, drag.signal]) };
      canvas.addEventListener(
        "pointermove",
        (event) => {
          selecting ||= Math.abs(event.clientX - down.clientX) > DRAG_FROM_PX;
          const ends = [start, frameOf(event)].sort((a, b) => a - b);
          if (selecting) transport.select([Math.max(0, ends[0]), Math.min(axis.frames, ends[1] + 1)]);
        },
        options,
      );
      const end = (event) => {
        drag.abort();
        if (!selecting) {
          transport.select(null);
          transport.seek(frameOf(event));
        } else transport.seek(transport.selection[0]);
      };
      for (const type of ["pointerup", "pointercancel"]) canvas.addEventListener(type, end, options);
    },
    { signal },
  );
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
