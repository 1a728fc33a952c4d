// One lane: the level filled in tide, its marks dotted, the motion as a fern line. Geometry is pure and exported for tests.

import { colours, em, MOVES, pen, sans, sizeOf } from "./canvas.js";
import { follow } from "./drag.js";
import { colourAt } from "./placing.js";

export const PAD = 5;
const NEAR_PX = 7;

/** Pixel row of a number between low (bottom) and high (top), clipped to the lane. */
export function row(value, { low, high, height, pad = PAD }) {
  const share = Math.min(1, Math.max(0, (value - low) / (high - low)));
  return height - pad - share * (height - 2 * pad);
}

/** The level that a pointer's y stands for: the inverse of row, so that a dragged mark follows the hand exactly. */
export function levelAt(y, { low, high, height, pad = PAD }) {
  return low + ((height - pad - y) / (height - 2 * pad)) * (high - low);
}

/**
 * The lowest and highest value of every pixel column that has a frame: what a line of many frames looks like.
 * Gives one point per frame where there is room for it, from the one before the left edge to the one after the right.
 */
export function columns(values, { from, to, width }) {
  const scale = width / (to - from);
  const [first, last] = [Math.max(0, Math.floor(from) - 1), Math.min(values.length, Math.ceil(to) + 1)];
  if (last - first <= width * 1.5) {
    const n = Math.max(0, last - first);
    const xs = new Float32Array(n);
    for (let i = 0; i < n; i += 1) xs[i] = (first + i + 0.5 - from) * scale;
    const ys = values.subarray(first, last);
    return { xs, lows: ys, highs: ys, dense: false };
  }
  const n = Math.ceil(width);
  const [xs, lows, highs] = [new Float32Array(n), new Float32Array(n), new Float32Array(n)];
  for (let x = 0; x < n; x += 1) {
    const begin = Math.max(0, Math.floor(from + x / scale));
    const end = Math.min(values.length, Math.max(begin + 1, Math.floor(from + (x + 1) / scale)));
    let [low, high] = [Infinity, -Infinity];
    for (let i = begin; i < end; i += 1) {
      if (values[i] < low) low = values[i];
      if (values[i] > high) high = values[i];
    }
    xs[x] = x + 0.5;
    lows[x] = low === Infinity ? 0 : low;
    highs[x] = high === -Infinity ? 0 : high;
  }
  return { xs, lows, highs, dense: true };
}

/** The mark within reach of a pointer's y, or null; the nearer one where both are. */
export function markNear(y, marks, axis) {
  const apart = (name) => Math.abs(y - row(marks[name], axis));
  const name = apart("low") <= apart("high") ? "low" : "high";
  return apart(name) <= NEAR_PX ? name : null;
}

/**
 * The pixel rows that a line covers in every dense column, from the top: its own extent, joined to the column before,
 * and at least as tall as the line is thick. Pure.
 */
export function bars({ lows, highs }, axis, thick) {
  const [tops, bottoms] = [new Float32Array(highs.length), new Float32Array(highs.length)];
  for (let i = 0; i < highs.length; i += 1) {
    const before = Math.max(0, i - 1);
    const top = row(Math.max(highs[i], Math.min(lows[before], highs[before])), axis);
    const bottom = row(Math.min(lows[i], Math.max(lows[before], highs[before])), axis);
    const spare = Math.max(0, thick - (bottom - top)) / 2;
    tops[i] = Math.round(top - spare);
    bottoms[i] = Math.max(tops[i] + 1, Math.round(bottom + spare));
  }
  return { tops, bottoms };
}

/** Draw a line: as a stroke where frames are apart, as upright bars where many share a pixel (a stroke is slow there). */
export function strokeColumns(context, shown, axis) {
  if (shown.dense) {
    const { tops, bottoms } = bars(shown, axis, context.lineWidth);
    context.fillStyle = context.strokeStyle;
    for (let i = 0; i < tops.length; i += 1) context.fillRect(i, tops[i], 1, bottoms[i] - tops[i]);
    return;
  }
  context.beginPath();
  for (let i = 0; i < shown.xs.length; i += 1) context.lineTo(shown.xs[i], row(shown.highs[i], axis));
  context.stroke();
}

export function fillColumns(context, { xs, highs, dense }, axis) {
  if (!xs.length) return;
  if (dense) {
    for (let i = 0; i < highs.length; i += 1) {
      const top = Math.round(row(highs[i], axis));
      context.fillRect(i, top, 1, axis.height - top);
    }
    return;
  }
  context.beginPath();
  context.moveTo(xs[0], axis.height);
  for (let i = 0; i < xs.length; i += 1) context.lineTo(xs[i], row(highs[i], axis));
  context.lineTo(xs[xs.length - 1], axis.height);
  context.fill();
}

/** Draw a lane: { level, value, axis: [low, high], low, high } over the frames of a view. */
export function drawLane(canvas, lane, view) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const levels = { low: lane.axis[0], high: lane.axis[1], height };
  const shown = columns(lane.level, { ...view, width });
  context.fillStyle = ink["tide-wash"];
  fillColumns(context, shown, levels);
  context.strokeStyle = ink.tide;
  context.globalAlpha = 0.55;
  context.lineWidth = 1;
  strokeColumns(context, { ...shown, lows: shown.highs }, levels);
  context.globalAlpha = 1;
  const marks = height > em(30) ? ["high", "low"] : [];
  for (const name of marks) drawMark(context, row(lane[name], levels), { width, ink });
  const span = { ...(lane.span ??= spanOf(lane)), height };
  if (span.low < 0) drawRest(context, row(0, span), { width, ink });
  context.lineJoin = "round";
  if (lane.traces) drawTraces(context, lane.traces, { view: { ...view, width }, span, ink });
  if (lane.sum) {
    context.strokeStyle = ink.ink;
    context.lineWidth = 1;
    strokeColumns(context, columns(lane.sum, { ...view, width }), span);
  }
  context.strokeStyle = ink.fern;
  context.lineWidth = 1.8;
  strokeColumns(context, columns(lane.value, { ...view, width }), span);
  marks.forEach((name, place) => nameMark(context, name, { left: 3 + em(33 * place), y: row(lane[name], levels), height, ink })); // side by side: both can be read
}

/** Where rest lies, of what goes to both sides of it. */
function drawRest(context, y, { width, ink }) {
  context.fillStyle = ink.fern;
  context.globalAlpha = 0.4;
  context.fillRect(0, Math.round(y), width, 1);
  context.globalAlpha = 1;
  context.font = sans();
  context.fillStyle = ink["fern-ink"];
  context.fillText("rest", width - context.measureText("rest").width - 4, y - 3);
}

/** The colours that a curve goes through, as a strip along the lower edge; rows are red, green and blue from 0 to 1. */
export function drawColours(canvas, rows, view) {
  const context = canvas.getContext("2d");
  const { width, height } = sizeOf(canvas);
  const tall = Math.min(em(6), height / 3);
  for (let x = 0; x < width; x += 1) {
    const frame = Math.min(rows[0].length - 1, Math.max(0, Math.floor(view.from + ((x + 0.5) / width) * (view.to - view.from))));
    context.fillStyle = colourAt(rows, frame);
    context.fillRect(x, height - tall, 1, tall);
  }
}

/** What a lane's motion needs in height: from rest to full, and further where it swings to both sides or goes on. Pure. */
export function spanOf({ value, sum, traces }) {
  let [low, high] = [0, 1];
  for (const row of [value, ...(sum ? [sum] : []), ...(traces ?? [])]) {
    for (const one of row) {
      if (one < low) low = one;
      if (one > high) high = one;
    }
  }
  return { low: low < -0.01 ? Math.min(low, -1) : 0, high: high > 1.25 ? high : 1 };
}

/** One thin line a step: the later, the firmer. */
function drawTraces(context, traces, { view, span, ink }) {
  context.strokeStyle = ink["fern-ink"];
  context.lineWidth = 1;
  traces.slice(0, -1).forEach((row, place) => {
    context.globalAlpha = 0.45 + (0.4 * place) / traces.length;
    strokeColumns(context, columns(row, view), span);
  });
  context.globalAlpha = 1;
}

function drawMark(context, y, { width, ink }) {
  context.save();
  context.setLineDash([1.5, 3]);
  context.strokeStyle = ink["tide-ink"];
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(0, y);
  context.lineTo(width, y);
  context.stroke();
  context.restore();
}

/** Write a mark's name over the curve, on a ground of its own, whole even where the mark lies at an edge. */
function nameMark(context, name, { left, y, height, ink }) {
  context.font = sans();
  const middle = Math.min(height - em(7), Math.max(em(7), y));
  context.fillStyle = ink.sheet;
  context.fillRect(left, middle - em(7), context.measureText(name).width + 5, em(13));
  context.fillStyle = ink["tide-ink"];
  context.fillText(name, left + 2, middle + em(3.5));
}

/** Let marks of a lane be dragged, while idle() says that the hand does nothing else there. onMark(name, level, done) in the lane's own unit. */
export function mountLane(canvas, { lane, onMark, idle, signal }) {
  const axisOf = () => ({ low: lane().axis[0], high: lane().axis[1], height: canvas.getBoundingClientRect().height });
  const under = ({ offsetY }) => lane() && markNear(offsetY, lane(), axisOf());
  const hover = (event) => (canvas.style.cursor = !idle() ? "crosshair" : under(event) ? "ns-resize" : "");
  const press = (down) => {
    const name = idle() && under(down);
    if (!name) return;
    down.preventDefault();
    const move = (event) => onMark(name, levelAt(event.offsetY, axisOf()), { done: event.type !== MOVES, at: event.timeStamp });
    follow(down, canvas, { move, end: move, moves: MOVES, signal });
  };
  canvas.addEventListener("pointermove", hover, { signal });
  canvas.addEventListener("pointerdown", press, { signal });
}
