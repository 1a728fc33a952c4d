// Elements of a drawing.

const SVG = "http://www.w3.org/2000/svg";

/** @param {string} name @param {Record<string, any>} [attributes] @returns {any} */
export function drawn(name, attributes = {}) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  return element;
}
