// Keys over the dense curve. Geometry is pure.

import { xOf } from "./axis.js";
import { colours, em, mono, pen } from "./canvas.js";
import { columns, row, strokeColumns } from "./lane.js";

const PAD = 30;
const KEY_PX = 3.2;
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

/** Draw a curve's rows and the keys on them, over some frames. */
export function drawKeysPlot(canvas, { dense, frames, keys }, shown) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const range = { ...rangeOf(dense), height, pad: em(PAD) };
  const view = { ...shown, width };
  dense.forEach((values, channel) => {
    context.strokeStyle = ink["fern-wash"];
    context.lineWidth = 5;
    context.lineJoin = "round";
    strokeColumns(context, columns(values, view), range);
    drawKeys(context, frames, keys[channel], { view, range, ink });
  });
  context.font = mono();
  context.fillStyle = ink["ink-2"];
  context.fillText(range.high.toPrecision(3), 6, em(14));
  context.fillText(range.low.toPrecision(3), 6, height - em(18));
  context.fillText(`frame ${Math.round(view.from)}`, 6, height - 5);
  const last = `frame ${Math.round(view.to) - 1}`;
  context.fillText(last, width - 8 - context.measureText(last).width, height - 5);
}

function drawKeys(context, frames, keys, { view, range, ink }) {
  context.strokeStyle = ink.fern;
  context.lineWidth = 1.4;
  context.beginPath();
  frames.forEach((frame, i) => context.lineTo(xOf(frame + 0.5, view), row(keys[i], range)));
  context.stroke();
  const shown = frames.filter((frame) => frame >= view.from - 1 && frame <= view.to).length;
  if (shown > view.width / APART_PX) return;
  frames.forEach((frame, i) => {
    context.beginPath();
    context.arc(xOf(frame + 0.5, view), row(keys[i], range), KEY_PX, 0, 2 * Math.PI);
    context.fillStyle = ink.sheet;
    context.fill();
    context.stroke();
  });
}
