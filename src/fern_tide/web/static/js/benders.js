// Handles on the transfer curve: those of a Bezier, and the points of a curve that is drawn by hand. Geometry is pure.

import { MOVES } from "./canvas.js";
import { follow } from "./drag.js";
import { BOTTOM, rowOf, shareOf, TOP } from "./sheet_plot.js";

const EDGE = 0.005;

/** Read "0.3 0.1, 0.7 0.9" as points. Pure. */
export const readPoints = (text) => text.split(",").map((pair) => pair.trim().split(/\s+/).map(Number)).filter((pair) => pair.length === 2);

/** Write points as text. Pure. */
export const writePoints = (points) => points.map(([x, y]) => `${Number(x.toFixed(3))} ${Number(y.toFixed(3))}`).join(", ");

/** Whether a response goes through points, or has the two handles of a Bezier: its params tell. Pure. */
const isDrawn = ({ params }) => "points" in params;
const hasHandles = ({ params }) => ["x1", "y1", "x2", "y2"].every((name) => name in params);

/** The handles of a response, as pairs of lift and height. Pure. */
export function handlesOf(response) {
  const { params } = response;
  if (isDrawn(response)) return readPoints(params.points);
  return hasHandles(response) ? [[params.x1, params.y1], [params.x2, params.y2]] : [];
}

/**
 * A response with one of its handles elsewhere; of a drawn curve it stays between its neighbours. Pure.
 * @param {any} response
 * @param {number} index
 * @param {number[]} place
 */
export function bent(response, index, [x, y]) {
  const round = (value) => Number(value.toFixed(3));
  if (hasHandles(response)) {
    const [across, up] = [round(Math.min(1, Math.max(0, x))), round(Math.min(4, Math.max(-3, y)))];
    return { ...response, params: { ...response.params, [`x${index + 1}`]: across, [`y${index + 1}`]: up } };
  }
  const points = readPoints(response.params.points);
  const [before, after] = [points[index - 1]?.[0] ?? 0, points[index + 1]?.[0] ?? 1];
  points[index] = [Math.min(after - EDGE, Math.max(before + EDGE, x)), Math.min(4, Math.max(-4, y))];
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}

/** A drawn response with one more point, or one fewer. Pure. */
export function withPoint(response, [x, y]) {
  const points = [...readPoints(response.params.points), [x, y]].sort((a, b) => a[0] - b[0]);
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}
export function withoutPoint(response, index) {
  const points = readPoints(response.params.points).filter((_, place) => place !== index);
  return { ...response, params: { ...response.params, points: writePoints(points) } };
}

const acrossOf = (lift, lane) => shareOf(lane.low + lift * (lane.high - lane.low), lane.axis);

/** Lift and height under a pointer. Pure. */
export function placeAt(px, py, { width, height }, lane) {
  const level = lane.axis[0] + (px / width) * (lane.axis[1] - lane.axis[0]);
  return [(level - lane.low) / (lane.high - lane.low), (height - BOTTOM - py) / (height - BOTTOM - TOP)];
}

/** Put the handles where the response has them. */
export function placeBenders(plot, lane, response) {
  const wanted = handlesOf(response);
  const there = [...plot.querySelectorAll(".bender")];
  there.slice(wanted.length).forEach((gone) => gone.remove());
  wanted.forEach(([lift, value], index) => {
    const handle = there[index] ?? plot.appendChild(Object.assign(document.createElement("div"), { className: "bender", tabIndex: 0 }));
    handle.dataset.bender = index;
    handle.setAttribute("role", "slider");
    handle.setAttribute("aria-label", hasHandles(response) ? `Handle ${index + 1} of the curve` : `Point ${index + 1} of the curve`);
    handle.setAttribute("aria-valuenow", value.toFixed(3));
    handle.setAttribute("aria-valuetext", `${value.toFixed(2)} at lift ${lift.toFixed(2)}`);
    handle.style.left = `${100 * acrossOf(lift, lane)}%`;
    handle.style.top = `${rowOf(value, plot.clientHeight)}px`;
  });
}

/** Let the handles be dragged and stepped, and points be added and taken off. onBend(response, {done}). response() may be none for a moment. */
export function mountBenders(plot, { lane, response, onBend, signal }) {
  const sizes = () => ({ width: plot.clientWidth, height: plot.clientHeight });
  const under = (event) => {
    const { left, top } = plot.getBoundingClientRect();
    return placeAt(event.clientX - left, event.clientY - top, sizes(), lane());
  };
  plot.addEventListener(
    "pointerdown",
    (down) => {
      const handle = down.target.closest(".bender");
      if (!handle || down.button !== 0 || !lane()) return;
      const index = Number(handle.dataset.bender);
      let moved = false;
      const move = (event) => {
        moved = true;
        onBend(bent(response(), index, under(event)), { done: false, at: event.timeStamp });
      };
      follow(down, handle, { move, end: () => moved && onBend(response(), { done: true }), moves: MOVES, signal });
    },
    { signal },
  );
  plot.addEventListener(
    "dblclick",
    (event) => {
      if (!response() || !isDrawn(response())) return;
      const handle = event.target.closest(".bender");
      const [x, y] = under(event);
      if (handle) onBend(withoutPoint(response(), Number(handle.dataset.bender)), { done: true });
      else if (x > EDGE && x < 1 - EDGE) onBend(withPoint(response(), [x, Math.min(1.1, Math.max(-0.1, y))]), { done: true });
    },
    { signal },
  );
  plot.addEventListener(
    "keydown",
    (event) => {
      const handle = event.target.closest(".bender");
      if (!handle || !lane() || !response()) return;
      const index = Number(handle.dataset.bender);
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
      const gone = event.key === "Delete" && isDrawn(response());
      if (!way && !gone) return;
      event.preventDefault();
      event.stopPropagation();
      if (gone) onBend(withoutPoint(response(), index), { done: true });
      else {
        const by = event.shiftKey ? 0.1 : event.altKey ? 0.001 : 0.01;
        const [x, y] = handlesOf(response())[index];
        onBend(bent(response(), index, [x + way[0] * by, y + way[1] * by]), { done: false });
      }
    },
    { signal },
  );
  plot.addEventListener("keyup", (event) => event.key.startsWith("Arrow") && event.target.closest(".bender") && response() && onBend(response(), { done: true }), { signal });
}
