// Where parts of a drawing stand at a frame, as the drawing's own transforms, and boxes about points. All of it is pure.

/** The groups of a part, each with its verb and the properties that it shows. */
export const VERBS = { move: ["translate", "x", "y"], turn: ["rotate", "turn"], scale: ["scale", "scale_x", "scale_y"] };
export const PLACE = Object.values(VERBS).flatMap(([, ...names]) => names);

/** The transform attribute of one group of a part, from a function that gives each property's value. Pure. */
export function transformOf(slot, part, valueOf) {
  const [verb, ...names] = VERBS[slot];
  const values = names.map(valueOf);
  if (slot === "move") values.forEach((value, axis) => (values[axis] = value + part.anchor[axis]));
  return `${verb}(${values.join(" ")})`;
}

/** A place about an anchor. Pure. */
export function about([ax, ay], valueOf) {
  const [x, y, turn, wide, tall] = PLACE.map(valueOf);
  return `translate(${x + ax} ${y + ay}) rotate(${turn}) scale(${wide} ${tall}) translate(${-ax} ${-ay})`;
}

/**
 * The transform of an element that was brought in: that of what it was put together in, its own place, and then what it
 * came with. The values of another part are asked for by its id. Pure.
 */
export function placeOf(part, valueOf, valueOfOther) {
  const above = (part.above ?? []).map((other) => about(other.anchor, valueOfOther(other)));
  return [...above, about(part.anchor, valueOf), part.base].join(" ").trim();
}

/** A colour's text at a frame, from rows of red, green and blue from 0 to 1. Pure. */
export function colourAt(rows, frame) {
  const hex = (row) => Math.round(Math.min(1, Math.max(0, row[frame])) * 255).toString(16).padStart(2, "0");
  return `#${rows.map(hex).join("")}`;
}

/** The box about points. Pure. */
export function boxAround(points) {
  const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  return { x: left, y: top, width: Math.max(...xs) - left, height: Math.max(...ys) - top };
}

/** The corners of the box about points. Pure. */
export function around(points) {
  const { x, y, width, height } = boxAround(points);
  return [{ x, y }, { x: x + width, y }, { x: x + width, y: y + height }, { x, y: y + height }];
}

/** The transform of a piece of an array: where it stands and faces, and its own motion about its anchor there. Pure. */
export function pieceTransform([px, py], facing, [ax, ay], [x, y, turn, wide, tall]) {
  const faces = facing ? `rotate(${facing}) ` : "";
  return `translate(${px} ${py}) ${faces}translate(${ax + x} ${ay + y}) rotate(${turn}) scale(${wide} ${tall}) translate(${-ax} ${-ay})`;
}
