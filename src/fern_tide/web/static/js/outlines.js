// Outlines that shapers move on a 2D stage: their points, and the path data that is written of them.

import { project } from "./project.js";
import { getPack } from "./server.js";

const DIGITS = 1000; // a thousandth of a pixel
const MOST = 40;

/** Points where so much of each shape is seen; see core/scene/outlines.py, which a test holds this against. Pure. */
export function pointsAt({ points, shapes }, seen) {
  const moved = Float64Array.from(points);
  seen.forEach((share, place) => {
    if (share !== 0) shapes[place].forEach((added, at) => (moved[at] += share * added));
  });
  return moved.map((value) => Math.round(value * DIGITS) / DIGITS);
}

/** Points as path data: of each stroke its first point, then three of each curve. Pure. */
export function pathOf(strokes, points) {
  let at = 0;
  const next = () => `${points[at++]} ${points[at++]}`;
  return strokes
    .map(([curves, closed]) => {
      const first = next();
      return `M${first}${Array.from({ length: curves }, () => `C${next()} ${next()} ${next()}`).join("")}${closed ? "Z" : ""}`;
    })
    .join("");
}

const rows = (array) => (Array.isArray(array) ? array : [array]);
const known = new Map();

/** Ask for a part's outlines, once for each key: a promise of a list, or of null where they are others by now. */
export function outlinesOf(part, key) {
  const name = `${part} ${key}`;
  if (!known.has(name)) {
    if (known.size >= MOST) known.delete(known.keys().next().value);
    const asked = getPack(project.url(`stage/outlines/${encodeURIComponent(part)}`)).then(({ head, arrays }) =>
      head.key === key
        ? head.outlines.map((one) => ({ ...one, points: arrays[one.points], shapes: rows(arrays[one.shapes]) }))
        : null,
    );
    const forget = () => known.delete(name); // it is asked for again
    asked.then((outlines) => outlines ?? forget(), forget);
    known.set(name, asked);
  }
  return known.get(name);
}
