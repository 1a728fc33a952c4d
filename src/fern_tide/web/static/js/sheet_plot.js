// The plot of the sheet: histogram, marks as handles, transfer curve, and the dot that runs along it. Geometry is pure.

import { colours, pen } from "./canvas.js";

export const BOTTOM = 14;
export const TOP = 16;

/** The share of the plot's width at which a level stands. Pure. */
export const shareOf = (level, [low, high]) => Math.min(1, Math.max(0, (level - low) / (high - low)));

/** The level at a share of the width. Pure. */
export const levelAtShare = (share, [low, high]) => low + Math.min(1, Math.max(0, share)) * (high - low);

/** What the drawn transfer curve says at a level, between its points. Pure. */
export function along(transfer, level, axis) {
  const at = shareOf(level, axis) * (transfer.length - 1);
  const before = Math.min(transfer.length - 2, Math.floor(at));
  return transfer[before] + (transfer[before + 1] - transfer[before]) * (at - before);
}

export const rowOf = (value, height) => height - BOTTOM - Math.min(1.1, Math.max(-0.1, value)) * (height - BOTTOM - TOP);

export function drawSheet(canvas, lane, transfer) {
  const { context, width, height } = pen(canvas);
  const ink = colours();
  const [low, high] = [shareOf(lane.low, lane.axis) * width, shareOf(lane.high, lane.axis) * width];
  context.fillStyle = ink.paper;
  context.fillRect(0, 0, low, height);
  context.fillRect(high, 0, width - high, height);
  drawHistogram(context, lane.histogram, width, height, ink);
  context.strokeStyle = ink.rule;
  context.strokeRect(0.5, 0.5, width - 1, height - 1);
  context.strokeStyle = ink.fern;
  context.lineWidth = 2;
  context.lineJoin = "round";
  context.beginPath();
  transfer.forEach((value, i) => context.lineTo((i / (transfer.length - 1)) * width, rowOf(value, height)));
  context.stroke();
}

function drawHistogram(context, counts, width, height, ink) {
  const most = Math.sqrt(Math.max(1, ...counts.slice(1)));
  const step = width / counts.length;
  context.fillStyle = ink.tide;
  context.globalAlpha = 0.28;
  counts.forEach((count, i) => {
    const tall = Math.min(1, Math.sqrt(count) / most) * (height - BOTTOM - TOP) * 0.72;
    if (count) context.fillRect(i * step + 0.5, height - tall - 1, step - 1, tall);
  });
  context.globalAlpha = 1;
}

export function drawDot(canvas, lane, transfer, level) {
  const { context, width, height } = pen(canvas);
  if (level === undefined) return;
  const ink = colours();
  context.beginPath();
  context.arc(shareOf(level, lane.axis) * width, rowOf(along(transfer, level, lane.axis), height), 5, 0, 2 * Math.PI);
  context.fillStyle = ink.ember;
  context.fill();
  context.lineWidth = 1.5;
  context.strokeStyle = ink.sheet;
  context.stroke();
}

/** Put the two handles where the marks are and say their levels. */
export function placeMarks(plot, lane) {
  for (const name of ["low", "high"]) {
    const handle = plot.querySelector(`[data-mark="${name}"]`);
    handle.style.left = `${100 * shareOf(lane[name], lane.axis)}%`;
    handle.setAttribute("aria-valuenow", lane[name].toPrecision(4));
    handle.setAttribute("aria-valuemin", lane.axis[0].toPrecision(4));
    handle.setAttribute("aria-valuemax", lane.axis[1].toPrecision(4));
    handle.setAttribute("aria-valuetext", `${lane[`${name}_shown`].toFixed(1)} ${lane.unit}`);
  }
}
