// What moved when another mix came under a track: in words, the old curve under the new one, and where they part.

import { transport } from "./transport.js";

const perSecond = () => transport.rate[0] / transport.rate[1];

/** What moved, in words for the report of a swap. Pure. */
export function reportLines({ moved, of, seconds }) {
  const [before, now] = seconds;
  const length = Math.abs(before - now) < 1e-6 ? [] : [`The project is ${now.toFixed(2)} s long now, ${before.toFixed(2)} s before.`];
  if (!moved.length) return [of ? `None of ${of} driven curves moved.` : "Nothing is driven yet, so nothing moved.", ...length];
  const share = (value) => (value < 0.001 ? "less than 0.1" : (value * 100).toFixed(1));
  const groups = new Map();
  for (const { name, largest, mean, at_s, note } of moved) {
    const words = note || `by up to ${share(largest)} % of its range at ${at_s.toFixed(2)} s, ${share(mean)} % on average`;
    groups.set(words, [...(groups.get(words) ?? []), name]);
  }
  const lines = [...groups].map(([words, names]) => `${names[0]}${names.length > 1 ? ` and ${names.length - 1} like it` : ""}: ${words}`);
  return [`${moved.length} of ${of} driven curves moved:`, ...length, ...lines];
}

const DRAWN_CURVES = 8;
const TOLD_STRETCHES = 6;

/** The curves to draw: of those that moved alike the first, named with how many there are. Pure. */
export function unlike(moved) {
  const groups = new Map();
  for (const item of moved.filter(({ drawn }) => drawn.length)) {
    const alike = JSON.stringify(item.drawn);
    groups.set(alike, [...(groups.get(alike) ?? []), item]);
  }
  return [...groups.values()].slice(0, DRAWN_CURVES).map(([first, ...others]) => ({ ...first, name: others.length ? `${first.name} and ${others.length} like it` : first.name }));
}

/** A row of numbers from 0 to 1 as the points of a line, so high and so wide. Pure. */
export const linePoints = (row, { width, height }) =>
  row.map((value, at) => `${((at * width) / Math.max(1, row.length - 1)).toFixed(1)},${((1 - value) * (height - 2) + 1).toFixed(1)}`).join(" ");

/** One curve that moved: its name, the old line with the new over it, and its stretches, each to be gone to. */
export function drawMoved({ name, drawn, stretches }) {
  const item = document.createElement("div");
  item.className = "py-1";
  const size = { width: 200, height: 28 };
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", `0 0 ${size.width} ${size.height}`);
  svg.setAttribute("class", "swap-lines");
  svg.setAttribute("role", "img");
  svg.setAttribute("aria-label", `${name}: the old curve, pale, with the new one over it`);
  for (const row of drawn) {
    const line = document.createElementNS(svg.namespaceURI, "polyline");
    line.setAttribute("points", linePoints(row, size));
    svg.append(line);
  }
  const buttons = stretches.slice(0, TOLD_STRETCHES).map(([from, to]) => {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn-quiet text-11! px-1! py-0! font-mono";
    button.textContent = `${(from / perSecond()).toFixed(1)}–${(to / perSecond()).toFixed(1)} s`;
    button.title = `Go to frame ${from}`;
    button.addEventListener("click", () => transport.seek(from));
    return button;
  });
  const more = document.createElement("span");
  more.className = "quiet text-11!";
  more.textContent = stretches.length > TOLD_STRETCHES ? `and ${stretches.length - TOLD_STRETCHES} more` : "";
  const label = document.createElement("p");
  label.className = "font-semibold clip";
  label.title = label.textContent = name;
  item.append(label, svg, ...buttons, more);
  return item;
}
