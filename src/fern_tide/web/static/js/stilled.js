// A drawing without the motion that it came with, as it is shown now: a picture that is made of it has a clock of its own.

const MOTION = "animate, animateTransform, animateMotion, set";

/** Numbers as attributes have them. */
const listed = (list, textOf) => Array.from({ length: list.numberOfItems }, (_, at) => textOf(list.getItem(at))).join(" ");
const matrixText = ({ a, b, c, d, e, f }) => `matrix(${[a, b, c, d, e, f].join(" ")})`;

/** What an attribute of a geometry, a gradient or a filter is now, as text; null where it is none of these. */
function shownAttribute(element, name) {
  if (name === "points") return listed(element.animatedPoints, ({ x, y }) => `${x},${y}`);
  if (name === "stdDeviation") return `${element.stdDeviationX.animVal} ${element.stdDeviationY.animVal}`;
  const now = element[name]?.animVal;
  if (typeof now === "string") return now;
  if (typeof now === "number") return element[name] instanceof SVGAnimatedEnumeration ? null : String(now);
  if (!now) return null;
  if ("numberOfItems" in now) return listed(now, (item) => (item.matrix ? matrixText(item.matrix) : String(item.value)));
  if ("width" in now) return `${now.x} ${now.y} ${now.width} ${now.height}`;
  if (typeof now.value !== "number" || (now.value === 0 && !element.hasAttribute(name))) return null;
  return String(now.value);
}

/** What a style is now, as an attribute has it. */
const shownStyle = (element, name) => getComputedStyle(element).getPropertyValue(name).replace(/^path\("(.*)"\)$/, "$1");

/** Where an element stands in the one that it lies in, along a way that it follows too; null where nothing is seen of it. */
function shownPlace(element) {
  const [outer, own] = [element.parentNode, element].map((one) => one.getScreenCTM());
  if (!outer || !own || outer.a * outer.d === outer.b * outer.c) return null;
  return matrixText(outer.inverse().multiply(own));
}

/** A copy of a drawing that stands still as it is shown now. */
export function stilled(svg) {
  const copy = svg.cloneNode(true);
  const [live, still] = [svg, copy].map((root) => [...root.querySelectorAll("*")]);
  const copies = new Map(live.map((element, at) => [element, still[at]]));
  for (const motion of live.filter((element) => element.matches(MOTION))) {
    copies.get(motion).remove();
    const element = motion.targetElement;
    if (!copies.has(element)) continue;
    const places = motion.localName === "animateMotion" || motion.getAttribute("attributeName") === "transform";
    const name = places ? "transform" : motion.getAttribute("attributeName");
    const value = places ? shownPlace(element) : (shownAttribute(element, name) ?? shownStyle(element, name));
    if (value) copies.get(element).setAttribute(name, value);
  }
  return copy;
}
