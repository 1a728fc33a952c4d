// Elements of a drawing, and the boxes about them.

import { around } from "./placing.js";

const SVG = "http://www.w3.org/2000/svg";

/** @param {string} name @param {Record<string, any>} [attributes] @returns {any} */
export function drawn(name, attributes = {}) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  return element;
}

/** The box of an element; of a picture seen through a mask, that of the mask; of a group, that of what lies in it. */
export function boxOf(own) {
  const empty = own.localName === "g" && !own.firstElementChild;
  return (own.querySelector(":scope > mask")?.firstElementChild ?? (empty ? own.parentNode : own)).getBBox();
}

/** The corners of a box that a transform moves. */
export function cornersOf({ x, y, width, height }, transform) {
  const matrix = new DOMMatrix(cssMatrix(transform));
  return around([{ x, y }, { x: x + width, y: y + height }]).map((corner) => new DOMPoint(corner.x, corner.y).matrixTransform(matrix));
}

/** An SVG transform list as the browser's matrices take it. */
function cssMatrix(list) {
  const probe = drawn("g", { transform: list });
  const all = probe.transform.baseVal.consolidate();
  if (!all) return "matrix(1,0,0,1,0,0)";
  const { a, b, c, d, e, f } = all.matrix;
  return `matrix(${a},${b},${c},${d},${e},${f})`;
}
