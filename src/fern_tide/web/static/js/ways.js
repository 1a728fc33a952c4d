// Ways to move along, as geometry: the curves through points, points along them, and matrices.

const AXES = ["x", "y", "z"];

/** A point that a matrix moves, row by row as the server counts it. Pure. */
export const movedBy = (matrix, /** @type {any} */ [x, y, z]) => [0, 4, 8].map((row) => matrix[row] * x + matrix[row + 1] * y + matrix[row + 2] * z + matrix[row + 3]);

/** How far each point's handle lies from it: its own, or a sixth of the way from the one before to the one after. Pure. */
export function handlesOf(points, { closed }) {
  const last = points.length - 1;
  const at = (place) => points[closed ? (place + points.length) % points.length : Math.min(Math.max(place, 0), last)];
  return points.map(({ handle }, place) => handle ?? AXES.map((axis) => (at(place + 1)[axis] - at(place - 1)[axis]) / 6));
}

/** The cubic curves of a way, each as four points. Pure. */
export function wayCurves(points, { smooth, closed }) {
  const at = points.map((point) => AXES.map((axis) => point[axis]));
  const out = handlesOf(points, { closed });
  const ends = closed ? points.map((_, place) => place) : points.slice(1).map((_, place) => place);
  return ends.map((from) => {
    const to = (from + 1) % points.length;
    const between = (share) => at[from].map((value, axis) => value + (at[to][axis] - value) * share);
    const one = smooth ? at[from].map((value, axis) => value + out[from][axis]) : between(1 / 3);
    const other = smooth ? at[to].map((value, axis) => value - out[to][axis]) : between(2 / 3);
    return [at[from], one, other, at[to]];
  });
}

/** Points along curves, so many steps on each. Pure. */
export function alongCurves(curves, steps) {
  const points = curves.length ? [curves[0][0]] : [];
  for (const [a, b, c, d] of curves) {
    for (let step = 1; step <= steps; step += 1) {
      const [t, u] = [step / steps, 1 - step / steps];
      points.push(a.map((value, axis) => u ** 3 * value + 3 * u * u * t * b[axis] + 3 * u * t * t * c[axis] + t ** 3 * d[axis]));
    }
  }
  return points;
}
