// What a hand does to the bands on a spectrogram.

import { MOVES, sizeOf } from "./canvas.js";
import { follow } from "./drag.js";
import { draggedBand, EDGE_PX, heldBand, hzAt, rowOf, tidyHz } from "./spectrogram.js";

const LEAST_PX = 4;

/**
 * Let bands be drawn, tuned, moved and chosen.
 * onBand(band, done, at) with { id: null } for a new one; onPick(id) for a click on one; onClick(event) for a click elsewhere.
 */
export function mountBands(canvas, { bands, chosen, onBand, onPick, onClick, signal }) {
  const height = () => sizeOf(canvas).height;
  const under = (y) => heldBand(y, bands(), chosen(), height());
  const hover = (event) => {
    const held = under(event.offsetY);
    canvas.style.cursor = !held ? "crosshair" : held.part === "all" ? "grab" : "ns-resize";
  };
  const click = (event, from) => {
    const inside = bands().filter((band) => from > rowOf(band.high, height()) - EDGE_PX && from < rowOf(band.low, height()) + EDGE_PX);
    const [smallest] = inside.sort((a, b) => a.high / a.low - b.high / b.low);
    if (smallest && smallest.id !== chosen()) onPick(smallest.id);
    else onClick(event);
  };
  const press = (down) => {
    if (down.button !== 0) return;
    down.preventDefault();
    canvas.focus({ preventScroll: true });
    const held = down.altKey ? null : under(down.offsetY);
    const from = down.offsetY;
    let dragged = false;
    const bandAt = (event) => {
      const to = Math.min(height(), Math.max(0, event.offsetY));
      return held ? { ...held.band, ...draggedBand(held.band, held.part, { from, to, height: height() }) } : drawnBand(from, to, height());
    };
    const move = (event) => {
      dragged ||= Math.abs(event.offsetY - from) > LEAST_PX;
      if (dragged) onBand(bandAt(event), { done: false, at: event.timeStamp });
    };
    const end = (event) => {
      if (!dragged) click(event, from);
      else onBand(event.type === "pointerup" ? bandAt(event) : null, { done: true });
    };
    follow(down, canvas, { move, end, moves: MOVES, signal });
  };
  canvas.addEventListener("pointermove", hover, { signal });
  canvas.addEventListener("pointerdown", press, { signal });
}

/** The band of a box that is drawn from one row to another. Pure. */
export function drawnBand(from, to, height) {
  const [high, low] = [Math.min(from, to), Math.max(from, to)].map((y) => tidyHz(Math.max(20, hzAt(y, height))));
  return { id: null, name: "New band", low, high: Math.max(high, low + 1) };
}
