// An envelope's trace: the raw level faint, the cleaned one firm, the marks that follow it, and a meter at the right. A bank shows a row each.

import { colours, em, mono, pen, sans, say } from "./canvas.js";
import { xOf } from "./axis.js";
import { columns, fillColumns, row, strokeColumns } from "./lane.js";

const METER = 12;
const DOT_TOP = 9; // px above the strongest hit
const BESIDE = 18; // the plot is as wide as the spectrogram above it

/** Where a row of a bank lies on the trace: lowest at the bottom. Pure. */
export function bandOf(index, count, height) {
  const tall = height / count;
  return { top: height - (index + 1) * tall, height: tall };
}

export function drawTrace(canvas, level, { view, frame }) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const plot = width - em(BESIDE);
  const count = level.cleaned.length;
  const [low, high] = [level.floor, Math.max(1e-6, level.top) * 1.05];
  for (let index = 0; index < count; index += 1) {
    const place = bandOf(index, count, height);
    context.save();
    context.translate(0, place.top);
    context.beginPath();
    context.rect(0, 0, plot, place.height);
    context.clip();
    drawRow(context, level, index, { view: { ...view, width: plot }, levels: { low, high, height: place.height, pad: count > 1 ? 1 : 5 }, ink, thick: count > 1 ? 1.2 : 1.8 });
    context.restore();
    if (count > 1 && place.height >= em(11)) {
      context.font = mono();
      context.fillStyle = ink.sheet;
      context.globalAlpha = 0.8;
      context.fillRect(2, place.top + 1, context.measureText(level.rows[index]).width + 4, Math.min(em(12), place.height - 1));
      context.globalAlpha = 1;
      context.fillStyle = ink["ink-2"];
      context.fillText(level.rows[index], 4, place.top + Math.min(place.height - 2, em(11)));
    }
  }
  const here = { low, high, height };
  if (count === 1) drawMarks(context, level.marks, { plot, levels: here, ink });
  drawMeter(context, level, { left: width - em(METER), frame, levels: here, ink });
  if (level.takes.length > 1) drawTakes(context, level.takes, { view: { ...view, width: plot }, height, ink });
  if (level.hits) drawHits(context, level.hits, { view: { ...view, width: plot }, height, ink });
  context.fillStyle = ink.ember;
  const x = xOf(frame + 0.5, { ...view, width: plot });
  if (x >= 0 && x <= plot) context.fillRect(x - 0.75, 0, 1.5, height);
  return plot;
}

function drawRow(context, level, index, { view, levels, ink, thick }) {
  context.fillStyle = ink["tide-wash"];
  fillColumns(context, columns(level.raw[index], view), levels);
  context.strokeStyle = ink.tide;
  context.lineWidth = thick;
  context.lineJoin = "round";
  strokeColumns(context, columns(level.cleaned[index], view), levels);
}

function drawMarks(context, marks, { plot, levels, ink }) {
  context.save();
  context.font = sans();
  context.strokeStyle = ink["tide-ink"];
  context.setLineDash([1.5, 3]);
  const seen = new Set();
  for (const { name, low, high } of marks) {
    for (const [word, value] of [["low", low], ["high", high]]) {
      const y = Math.round(row(value, levels)) + 0.5;
      context.beginPath();
      context.moveTo(0, y);
      context.lineTo(plot, y);
      context.stroke();
      const words = `${word} water of ${name}`;
      const place = Math.round(y / em(12));
      if (seen.has(place) || y < em(12)) continue;
      seen.add(place);
      const wide = context.measureText(words).width;
      context.fillStyle = ink.sheet;
      context.fillRect(plot - wide - 10, y - em(13), wide + 6, em(12));
      context.fillStyle = ink["tide-ink"];
      context.fillText(words, plot - wide - 7, y - 3);
    }
  }
  context.restore();
}

/** Where a hit's dot is on a trace, the stronger the higher. Pure. */
export const dotRow = (strength, height) => DOT_TOP + (1 - strength) * (height - 2 * DOT_TOP);

/** The plot of a trace on its canvas: what is right of it is the meter. */
export const plotOf = (width) => width - em(BESIDE);

/** Which take counts where: a strip below, with its name where there is room. */
function drawTakes(context, takes, { view, height, ink }) {
  context.font = sans();
  for (const [at, [begin, end, name]] of takes.entries()) {
    const [left, right] = [begin, end].map((frame) => Math.min(view.width, Math.max(0, xOf(frame, view))));
    if (right <= left) continue;
    context.fillStyle = at % 2 ? ink.fern : ink.tide;
    context.fillRect(left + 0.5, height - 4, right - left - 1, 4);
    if (context.measureText(name).width + 8 > right - left) continue;
    context.fillStyle = ink.sheet;
    context.fillRect(left + 2, height - em(17), context.measureText(name).width + 6, em(12));
    context.fillStyle = at % 2 ? ink["fern-ink"] : ink["tide-ink"];
    context.fillText(name, left + 5, height - em(17) + em(9.5));
  }
}

/** Hits as dots on stems; those that were edited are filled, the chosen one is ringed. */
function drawHits(context, { frames, strengths, edited, chosen = -1 }, { view, height, ink }) {
  let last = -9;
  for (let at = 0; at < frames.length; at += 1) {
    const x = xOf(frames[at], view);
    if (x < 0 || x > view.width || (x - last < 2 && at !== chosen)) continue;
    last = x;
    const y = dotRow(strengths[at], height);
    context.strokeStyle = context.fillStyle = edited[at] ? ink.ember : ink["tide-ink"];
    context.lineWidth = 1;
    context.globalAlpha = 0.35;
    context.beginPath();
    context.moveTo(x, y);
    context.lineTo(x, height);
    context.stroke();
    context.globalAlpha = 1;
    context.beginPath();
    context.arc(x, y, at === chosen ? 5 : 3, 0, 2 * Math.PI);
    if (edited[at] || at === chosen) context.fill();
    else context.stroke();
  }
}

/** The level at the playhead, with a notch at each mark. */
function drawMeter(context, level, { left, frame, levels, ink }) {
  const { height } = levels;
  context.fillStyle = ink.paper;
  const wide = em(METER);
  context.fillRect(left, 0, wide, height);
  const now = Math.max(...level.cleaned.map((values) => values[frame] ?? 0));
  const top = row(now, levels);
  context.fillStyle = ink.tide;
  context.fillRect(left + 2, top, wide - 4, height - top);
  context.fillStyle = ink["tide-ink"];
  for (const { low, high } of level.marks) for (const value of [low, high]) context.fillRect(left, Math.round(row(value, levels)), wide, 1.5);
}

/** A level as it comes from Python. Pure. */
export const levelOf = ({ head, arrays }) => ({
  raw: arrays[head.raw],
  cleaned: arrays[head.cleaned],
  db: arrays[head.cleaned_db],
  rows: head.rows,
  floor: head.floor,
  top: head.top,
  loudest: head.loudest_db,
  marks: head.marks,
  takes: head.takes,
  hits: head.hits && { frames: arrays[head.hits.frames], strengths: arrays[head.hits.strengths], edited: arrays[head.hits.edited] },
});

/** Draw a level into its panel, and say what it is at a frame: of a bank, the loudest row. */
export function drawLevel(panel, level, { view, frame }) {
  const find = (selector) => panel.querySelector(selector);
  drawTrace(find("#trace"), level, { view, frame });
  const { unit } = find("#level-here").dataset;
  const loudest = level.cleaned.reduce((best, values, at) => (values[frame] > level.cleaned[best][frame] ? at : best), 0);
  const [here, db] = [level.cleaned[loudest][frame], level.db[loudest][frame]];
  const which = level.rows.length ? `in ${level.rows[loudest]}; ` : "";
  if (!unit) say(find("#level-here"), here?.toFixed(3) ?? "–");
  else if (db !== undefined) say(find("#level-here"), db <= -119 ? "silent" : db.toFixed(1));
  say(find("#level-unit"), unit && db > -119 ? unit : "");
  say(find("#level-words"), `${which}${unit ? `loudest ${level.loudest.toFixed(1)} ${unit}` : `highest ${level.top.toFixed(3)}`}`);
}
