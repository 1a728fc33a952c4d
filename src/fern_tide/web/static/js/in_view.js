// Whether a thing in space is seen from where one stands.

const SPECK = 0.08; // of half the view

/** Whether a box whose corners lie so in a view, from -1 to 1 across and up, is seen, and more than a speck of it. Pure. */
export function isSeen(corners) {
  if (corners.every(({ z }) => z > 1)) return false;
  const [xs, ys] = [corners.map(({ x }) => x), corners.map(({ y }) => y)];
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const within = (Math.min(1, right) - Math.max(-1, left)) * (Math.min(1, high) - Math.max(-1, low));
  const isIn = right > -1 && left < 1 && high > -1 && low < 1;
  return isIn && Math.max(right - left, high - low) > SPECK && within >= 0.25 * Math.min(4, (right - left) * (high - low));
}
