// Several parts chosen together: with Shift and Ctrl in the tree and on the stage, by a box, by likeness, by name; and the
// line that shows in which order they are.

import { Component } from "./component.js";
import { first } from "./dom.js";
import { follow } from "./drag.js";
import { isTyping } from "./keyboard.js";
import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { drawn } from "./svg.js";
import { getJson, newest, postJson } from "./server.js";
import { DASHES } from "./stage_looking.js";

const CLICK_PX = 4;
const MOST_WHILE_PLAYING = 60;
const MOST_SHOWN = 400;
const CROWD = 40;
const MOST_THROUGH = 150; // pieces that the line of an array goes through
const WORD = { width: 40, height: 14 }; // room for "first" or "last"
const SETTINGS = ["order", "backwards", "takes", "late", "first_has", "last_has"];

/** The parts that are chosen when one is added to them, or taken away; none where fewer than two are left. Pure. */
export function toggled(parts, primary, part) {
  const now = parts.length ? parts : primary ? [primary] : [];
  const next = now.includes(part) ? now.filter((one) => one !== part) : [...now, part];
  const last = next.includes(part) ? part : (next.at(-1) ?? primary);
  return { part: last, parts: next.length > 1 ? next : [] };
}

/** The parts from one row of the tree to another, both included. Pure. */
export function ranged(rows, from, to) {
  const [a, b] = [Math.max(0, rows.indexOf(from)), rows.indexOf(to)].sort((x, y) => x - y);
  const parts = rows.slice(a, b + 1);
  return { part: from ?? to, parts: parts.length > 1 ? parts : [] };
}

/** A box from one corner to the other, as left, top, right and bottom in shares of a stage. Pure. */
export function boxOf(from, to, { width, height }) {
  const [xs, ys] = [[from.x, to.x], [from.y, to.y]].map((pair) => pair.sort((a, b) => a - b));
  return [xs[0] / width, ys[0] / height, xs[1] / width, ys[1] / height];
}

/** The edges of a box on the screen from one pointer's place to another's. Pure. */
export const edgesOf = (a, b) => ({ left: Math.min(a.clientX, b.clientX), right: Math.max(a.clientX, b.clientX), top: Math.min(a.clientY, b.clientY), bottom: Math.max(a.clientY, b.clientY) });

/** A number of entries of a list at most, evenly spaced, the first and the last among them. Pure. */
export const spaced = (list, most) =>
  list.length <= most ? list : Array.from({ length: most }, (_, at) => list[Math.round((at * (list.length - 1)) / (most - 1))]);

/** What is to be said of a choice that gave so many parts, of so many there are: nothing where it is as expected. Pure. */
export function outcomeWords(how, chosen, count) {
  if (!chosen) return how === "box" || how === "nodes" ? "Nothing lies in the box with all that is seen of it." : "There are no others.";
  if (count > chosen) return `${count} parts are meant: the first ${chosen} are chosen, which is as many as go together.`;
  return chosen === 1 && how === "alike" ? "No other part looks like this one." : "";
}

/** How high the words at the ends of a line stand: above them, but below the lower end where they would lie on each other. Pure. */
export function wordHeights(first, last) {
  const collide = Math.abs(first.x - last.x) < WORD.width && Math.abs(first.y - last.y) < WORD.height;
  const [above, below] = [-10, 20];
  return [first.y + (collide && first.y > last.y ? below : above), last.y + (collide && last.y >= first.y ? below : above)];
}

const middleOf = (corners) => ({
  x: corners.reduce((sum, { x }) => sum + x, 0) / corners.length,
  y: corners.reduce((sum, { y }) => sum + y, 0) / corners.length,
});

export class Choosing extends Component {
  #boxing = false;
  #tried = null;
  #answer = newest((ask) => telling(ask));

  /** @param {any} room @param {AbortSignal} signal @param {{ stage: any, isPlaying: () => boolean }} how */
  constructor(room, signal, { stage, isPlaying }) {
    super(room, signal);
    this.stage = stage;
    this.isPlaying = isPlaying;
    this.#layOver();
    this.on(stage.root, "pointerdown", (event) => this.#press(event), { capture: true });
    this.on(room, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(document, "keydown", (event) => event.key === "Escape" && !isTyping(event.target) && !first("dialog[open]") && this.none());
  }

  /** What an edit of all of them says besides: which they are, and how they are put in a row. */
  get asked() {
    return { parts: selection.get("parts"), ...Object.fromEntries(SETTINGS.map((name) => [name, selection.get(name)])) };
  }

  /** A part is picked: alone, or with Shift or Ctrl added or taken away; over rows of the tree, from one to the other. */
  pick(part, { shiftKey = false, ctrlKey = false, metaKey = false } = {}, rows = null) {
    const { part: primary, parts } = selection.all;
    if (rows && shiftKey && !rows.includes(primary)) this.#ask({ how: "range", parts: [primary, part] });
    else if (rows && shiftKey) selection.set({ ...ranged(rows, primary, part), property: "" });
    else if (shiftKey || ctrlKey || metaKey) selection.set({ ...toggled(parts, primary, part), property: "" });
    else selection.set({ part, parts: [], ...(part === primary ? {} : { property: "" }) });
  }

  none() {
    if (selection.get("parts").length) selection.set({ parts: [], property: "" });
  }

  #take(parts) {
    const primary = selection.get("part");
    if (parts.length) selection.set({ part: parts.includes(primary) ? primary : parts[0], parts: parts.length > 1 ? parts : [], property: "" });
  }

  async #ask(body) {
    const answer = await this.#answer(() => postJson(project.url("stage/choose"), body));
    if (!answer || this.signal.aborted) return;
    this.#take(answer.parts);
    const words = outcomeWords(body.how, answer.parts.length, answer.count);
    if (words) notice(words, { tone: "good" });
  }

  async #recall(id) {
    const answer = await this.#answer(() => getJson(project.url(`stage/selections/${id}`)));
    if (answer && !this.signal.aborted) this.#take(answer.parts);
  }

  #pressed(button) {
    const { chooseHow, selection: id } = button?.dataset ?? {};
    const { part, parts } = selection.all;
    if (chooseHow) this.#ask({ how: chooseHow, parts: parts.length ? parts : [part] });
    else if (id) this.#recall(id);
    else if (button?.id === "choose-none") this.none();
    else if (button?.id === "box-parts") this.#setBoxing(!this.#boxing);
  }

  // --- a box on the stage

  #setBoxing(is) {
    this.#boxing = is;
    this.mount();
  }

  /** The panels were drawn anew. */
  mount() {
    this.find("#box-parts")?.setAttribute("aria-pressed", String(this.#boxing));
    this.stage.root.classList.toggle("boxing", this.#boxing);
    if (this.stage.space === "3d") this.stage.view?.placeParts(JSON.parse(this.find("#several-places")?.textContent ?? "{}"));
    this.outline();
  }

  #press(down) {
    const { view, root, space } = this.stage;
    const wanted = this.#boxing || (down.shiftKey && space === "2d"); // in space a drag with Shift moves the eye
    if (!view || this.stage.drawing || down.button !== 0 || !wanted) return;
    const from = space === "2d" ? view.toScene(down) : null;
    this.stage.drawing = true;
    if (space === "3d") view.hold(true);
    const end = (up) => {
      this.stage.drawing = false;
      if (space === "3d") view.hold(false);
      this.#setBoxing(false);
      this.frame.setAttribute("visibility", "hidden");
      if (up.type === "pointercancel") return;
      if (Math.hypot(up.clientX - down.clientX, up.clientY - down.clientY) <= CLICK_PX) this.#click(up);
      else this.#ask(space === "3d" ? { how: "nodes", nodes: view.enclosed(edgesOf(down, up)) } : { how: "box", parts: [], box: boxOf(from, view.toScene(up), this.#size) });
    };
    follow(down, root, { move: (event) => this.#showBox(down, event), end, signal: this.signal });
  }

  #click(event) {
    const part = this.stage.view.pick(event);
    if (part) this.pick(part, { shiftKey: true });
  }

  get #size() {
    const [, , width, height] = this.stage.view.svg.dataset.whole.split(/[\s,]+/).map(Number);
    return { width, height };
  }

  #showBox(down, event) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const [xs, ys] = [[down.clientX - left, event.clientX - left], [down.clientY - top, event.clientY - top]].map((pair) => pair.sort((a, b) => a - b));
    for (const [name, value] of Object.entries({ x: xs[0], y: ys[0], width: xs[1] - xs[0], height: ys[1] - ys[0], visibility: "visible" })) this.frame.setAttribute(name, String(value));
  }

  // --- what is chosen, over the stage

  #layOver() {
    const over = drawn("svg", { class: "over", "aria-hidden": "true" });
    this.boxes = drawn("path", DASHES);
    this.lines = ["order-under", "order-line"].map((name) => drawn("polyline", { class: name }));
    this.ends = [0, 1].map(() => drawn("circle", { class: "order-end", r: 5 }));
    this.words = ["first", "last"].map((text) => Object.assign(drawn("text", { class: "order-word" }), { textContent: text }));
    this.frame = drawn("rect", { class: "choose-box", visibility: "hidden" });
    over.append(this.boxes, ...this.lines, ...this.ends, ...this.words, this.frame);
    this.stage.root.append(over);
    this.over = over;
  }

  /** Show the line of another order, or with null of the one that is chosen. @param {{ parts?: string[], pieces?: number[] } | null} order */
  tryOrder(order) {
    this.#tried = order;
    this.outline();
  }

  /** The parts that are chosen, in their order or in one that is tried. */
  get #ordered() {
    return this.#tried?.parts ?? JSON.parse(this.find("#several-line")?.textContent ?? "[]");
  }

  /** Draw around all that are chosen, and the line through them in their order. */
  outline() {
    const ordered = this.#ordered;
    const pieces = ordered.length > 1 ? null : this.#pieces();
    const shown = this.#showsLine(ordered, pieces);
    this.over.setAttribute("visibility", shown || this.stage.drawing ? "visible" : "hidden");
    for (const part of [this.boxes, ...this.lines, ...this.ends, ...this.words]) part.setAttribute("visibility", shown ? "inherit" : "hidden");
    if (!shown) return;
    const { left, top } = this.stage.root.getBoundingClientRect();
    const at = ({ x, y }) => ({ x: Number((x - left).toFixed(1)), y: Number((y - top).toFixed(1)) });
    const corners = spaced(ordered, MOST_SHOWN).map((part) => this.stage.view.outline(part)?.map(at)).filter(Boolean);
    this.boxes.setAttribute("d", corners.map((points) => `M${points.map(({ x, y }) => `${x} ${y}`).join("L")}Z`).join(""));
    this.over.classList.toggle("crowded", (pieces?.length ?? 0) > CROWD);
    const middles = pieces?.map(at) ?? corners.map(middleOf);
    for (const line of this.lines) line.setAttribute("points", middles.map(({ x, y }) => `${x},${y}`).join(" "));
    if (middles.length) this.#putEnds(middles[0], middles.at(-1));
  }

  #showsLine(ordered, pieces) {
    return this.stage.view && (pieces || (ordered.length > 1 && !(this.isPlaying() && ordered.length > MOST_WHILE_PLAYING)));
  }

  /** Where the pieces of the selected array are on the screen, in their order; null of any other part. */
  #pieces() {
    const { view } = this.stage;
    const points = view?.arrays?.line(selection.get("part"), MOST_THROUGH, this.#tried?.pieces)?.map((point) => view.onScreen(point));
    return points?.length > 1 && points.every(Boolean) ? points : null;
  }

  #putEnds(...ends) {
    const heights = wordHeights(...ends);
    for (const [place, { x, y }] of ends.entries()) {
      for (const [name, value] of [["cx", x], ["cy", y]]) this.ends[place].setAttribute(name, value);
      for (const [name, value] of [["x", x], ["y", heights[place]]]) this.words[place].setAttribute(name, String(value));
    }
  }
}
