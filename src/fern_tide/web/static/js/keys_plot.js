// A curve large: its line, what lies under its touch-ups, its keys, and the stretch that is chosen. Geometry is pure.

import { xOf } from "./axis.js";
import { colours, em, mono, pen, sans } from "./canvas.js";
import { columns, levelAt, row, strokeColumns } from "./lane.js";

const PAD = 26;
const KEY_PX = 3.2;
const NEAR_PX = 8;
const APART_PX = 5; // keys that lie nearer to each other cannot be told apart: zoom in to see them

/** The range of a curve's rows with a little room. Pure. */
export function rangeOf(rows) {
  let [low, high] = [Infinity, -Infinity];
  for (const values of rows) {
    for (const value of values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return high - low < 1e-9 ? { low: low - 0.5, high: high + 0.5 } : { low, high };
}

/** How a plot lies: frames across and values up, in pixels. @returns {any} */
export function plotOf(range, view, { width, height }) {
  return { ...range, ...view, width, height, pad: em(PAD) };
}

/** The frame, with its share, and the value under a point of a plot; of a frame its middle counts. Pure but for the padding. */
export function under({ x, y }, plot) {
  return { frame: plot.from + (x / plot.width) * (plot.to - plot.from) - 0.5, value: levelAt(y, plot) };
}

const placeOf = (frame, value, plot) => ({ x: xOf(frame + 0.5, plot), y: row(value, plot) });

/** The key nearest to a point, within reach, or -1. Pure. */
export function keyNear({ x, y }, { frames, values }, plot, reach = NEAR_PX) {
  let [best, near] = [-1, reach];
  for (let i = 0; i < frames.length; i += 1) {
    const place = placeOf(frames[i], values[i], plot);
    const apart = Math.hypot(place.x - x, place.y - y);
    if (apart <= near) [best, near] = [i, apart];
  }
  return best;
}

/** The places of the keys that lie in a rectangle between two points. Pure. */
export function keysWithin(a, b, { frames, values }, plot) {
  const [left, right, top, bottom] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return Array.from(frames, (frame, i) => ({ ...placeOf(frame, values[i], plot), i }))
    .filter(({ x, y }) => x >= left && x <= right && y >= top && y <= bottom)
    .map(({ i }) => i);
}

/**
 * Keys as the hand leaves them, in the order of their frames: those that are chosen go, or are moved over what lies where they
 * come, and others come in. Pure.
 */
export function editedKeys({ frames, values }, chosen, { by_frames = 0, by_value = 0, remove = false, add = [] }) {
  const edited = new Map();
  frames.forEach((frame, i) => !chosen.has(frame) && edited.set(frame, values[i]));
  if (!remove) frames.forEach((frame, i) => chosen.has(frame) && edited.set(frame + by_frames, values[i] + by_value));
  for (const [frame, value] of add) edited.set(frame, value);
  const sorted = [...edited].sort(([one], [other]) => one - other);
  return { frames: sorted.map(([frame]) => frame), values: sorted.map(([, value]) => value) };
}

/**
 * Draw a curve.
 * @param {any} canvas
 * @param {any} curve dense and below: rows; frames and keys; spans of touch-ups; ghost: what lay below before, if it is compared
 * @param {any} plot
 * @param {{ stretch?: any, chosen?: any, keys?: any, rectangle?: any, drawn?: any }} how
 */
export function drawKeysPlot(canvas, curve, plot, { stretch = null, chosen = new Set(), keys = null, rectangle = null, drawn = null } = {}) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const tool = { context, plot: { ...plot, width, height }, ink };
  if (stretch) band(tool, stretch, ink["tide-wash"]);
  curve.spans.forEach((span) => drawSpan(tool, span));
  for (const values of curve.below ?? []) line(tool, values, { colour: ink["ink-2"], thick: 1, alpha: 0.55 });
  if (curve.ghost) drawGhost(tool, curve.ghost);
  for (const values of curve.dense) line(tool, values, { colour: ink.fern, thick: 1.6 });
  curve.keys.forEach((values, channel) => drawKeys(tool, channel ? { frames: curve.frames, values } : (keys ?? { frames: curve.frames, values }), chosen));
  if (rectangle) drawRectangle(tool, rectangle);
  if (drawn) drawHand(tool, drawn);
  drawWords(tool);
}

const band = ({ context, plot }, [from, to], colour) => {
  context.fillStyle = colour;
  context.fillRect(xOf(from, plot), 0, xOf(to, plot) - xOf(from, plot), plot.height);
};

function drawSpan(tool, { first, end, words }) {
  const { context, plot, ink } = tool;
  const x = Math.max(0, xOf(first, plot));
  const room = xOf(end, plot) - x;
  if (room < 0 || x > plot.width) return;
  context.globalAlpha = 0.7;
  band(tool, [first, end], ink.paper);
  context.globalAlpha = 1;
  context.font = sans();
  context.fillStyle = ink["ink-2"];
  if (room > em(30)) context.fillText(words, x + 6, em(14), room - 10);
}

function line({ context, plot }, values, { colour, thick, alpha = 1 }) {
  context.globalAlpha = alpha;
  context.strokeStyle = colour;
  context.lineWidth = thick;
  context.lineJoin = "round";
  strokeColumns(context, columns(values, plot), plot);
  context.globalAlpha = 1;
}

/** What lay under a touch-up before: dashed, spread over its stretch. */
function drawGhost({ context, plot, ink }, { first, end, rows }) {
  context.strokeStyle = ink.ember;
  context.setLineDash([4, 3]);
  context.lineWidth = 1.4;
  for (const values of rows) {
    context.beginPath();
    const apart = values.length > 1 ? (end - 1 - first) / (values.length - 1) : 0;
    values.forEach((value, i) => context.lineTo(xOf(first + i * apart + 0.5, plot), row(value, plot)));
    context.stroke();
  }
  context.setLineDash([]);
}

function drawKeys({ context, plot, ink }, { frames, values }, chosen) {
  const shown = Array.from(frames).filter((frame) => frame >= plot.from - 1 && frame <= plot.to).length;
  if (shown > plot.width / APART_PX) return;
  context.strokeStyle = ink["fern-ink"];
  context.lineWidth = 1.4;
  for (let i = 0; i < frames.length; i += 1) {
    const { x, y } = placeOf(frames[i], values[i], plot);
    if (x < -9 || x > plot.width + 9) continue;
    context.fillStyle = chosen.has(frames[i]) ? ink["fern-ink"] : ink.sheet;
    context.beginPath();
    context.arc(x, y, chosen.has(frames[i]) ? KEY_PX + 1.2 : KEY_PX, 0, 2 * Math.PI);
    context.fill();
    context.stroke();
  }
}

function drawRectangle({ context, ink }, [a, b]) {
  context.strokeStyle = ink["ink-2"];
  context.lineWidth = 1;
  context.setLineDash([3, 3]);
  context.strokeRect(Math.min(a.x, b.x), Math.min(a.y, b.y), Math.abs(a.x - b.x), Math.abs(a.y - b.y));
  context.setLineDash([]);
}

/** The way of the hand while it draws. */
function drawHand({ context, plot, ink }, points) {
  context.strokeStyle = ink.ember;
  context.lineWidth = 2;
  context.beginPath();
  for (const [frame, value] of points) context.lineTo(xOf(frame + 0.5, plot), row(value, plot));
  context.stroke();
}

function drawWords({ context, plot, ink }) {
  context.font = mono();
  context.fillStyle = ink["ink-2"];
  context.fillText(plot.high.toPrecision(3), 6, em(26));
  context.fillText(plot.low.toPrecision(3), 6, plot.height - em(16));
  context.fillText(`frame ${Math.round(plot.from)}`, 6, plot.height - 4);
  const last = `frame ${Math.round(plot.to) - 1}`;
  context.fillText(last, plot.width - 8 - context.measureText(last).width, plot.height - 4);
}
