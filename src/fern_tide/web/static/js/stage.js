// The 2D stage: puts the values of a frame into the drawing. It looks values up and writes attributes; it computes none.

import { outlineOf } from "./graphic.js";
import { Looking2d } from "./looking2d.js";
import { pathOf, pointsAt } from "./outlines.js";
import { drivenAttributes, OwnMotion } from "./own_motion.js";
import { about, around, boxAround, colourAt, PLACE, placeOf, transformOf, VERBS } from "./placing.js";
import { seenShapes } from "./shapes.js";
import { Pieces2d } from "./stage2d_arrays.js";
import { Outlines2d } from "./stage2d_outlines.js";
import { boxOf, cornersOf } from "./svg.js";

/** Which part an element of the drawing belongs to, by its id, or null. Pure but for the element. */
export function partIdOf(element, prefix) {
  for (let at = element; at?.id !== undefined; at = at.parentElement) {
    const found = at.id.startsWith?.(prefix) && /^(.*)--(own|move|turn|scale)$/.exec(at.id.slice(prefix.length));
    if (found) return found[1];
  }
  return null;
}

/** Write an attribute only when it changes: what stays as it is need not be painted. */
function setter(target, attribute, textAt) {
  let last = target.getAttribute(attribute);
  return (frame) => {
    const text = textAt(frame);
    if (text !== last) target.setAttribute(attribute, text);
    last = text;
  };
}

export class Stage2d extends Looking2d {
  #setters = [];
  clocks = new Set();
  #bound = null;
  #own = new OwnMotion();
  #curves = {};
  #heads = {};
  #tries = new Map();
  touched = new Set(); // what was moved since it was drawn, and may have to go back
  tried = new Set(); // what of that by hand
  arrays = new Pieces2d();
  outlines = new Outlines2d(() => this.#bindAgain());

  constructor(root, { prefix }) {
    super(root);
    this.prefix = prefix;
    this.space = "2d";
    this.#dress();
  }

  /** Take a drawing in place of the one that is shown. */
  replace(text) {
    const drawn = new DOMParser().parseFromString(text, "image/svg+xml").documentElement;
    const view = this.svg?.getAttribute("viewBox");
    const own = drawn.getAttribute("viewBox");
    if (view && this.svg.dataset.whole === own) drawn.setAttribute("viewBox", view);
    drawn.dataset.whole = own;
    this.svg?.replaceWith(document.importNode(drawn, true));
    this.#dress();
    this.tried = new Set(this.#tries.keys());
    this.touched = new Set(this.tried);
    this.#bindAgain();
  }

  #bindAgain() {
    this.#bound = null;
    this.#bind();
    this.showAgain();
  }

  /** Say in script what no attribute can say; style attributes are forbidden. */
  #dress() {
    if (!this.svg) return;
    this.svg.dataset.whole ??= this.svg.getAttribute("viewBox");
    // in a browser every svg, also one inside another, has a clock of its own for what lies directly in it
    const moving = [...this.svg.querySelectorAll("animate, animateTransform, animateMotion, set")];
    this.clocks = new Set(moving.map((element) => element.ownerSVGElement));
    for (const clock of this.clocks) clock.pauseAnimations();
    for (const element of this.svg.querySelectorAll("[data-css]")) {
      for (const part of element.dataset.css.split(";")) {
        const [name, value] = part.split(":");
        if (value) element.style.setProperty(name.trim(), value.trim());
      }
    }
  }

  element(part, slot) {
    return this.root.querySelector(`#${CSS.escape(`${this.prefix}${part}--${slot}`)}`);
  }

  /** Take in curves and how the parts that they move show; of the parts that are tried by hand, too. */
  bind({ curves, parts, arrays = {} }) {
    this.arrays.motions = arrays;
    const still = Object.keys(this.#curves).filter((target) => !(target in curves)); // goes back to its own value
    this.#curves = curves;
    for (const head of Object.values(parts)) this.#take(head);
    this.#bind(still);
  }

  /** Take in how a part shows, and the elements that move with it. */
  #take(head) {
    Object.assign(this.#heads, { [head.id]: head }, head.moves);
  }

  /** Take in how a part shows, and its own values, as they are now. */
  know(head) {
    this.#take(head);
    this.#bind();
  }

  /** Try a value by hand; null lets go. A part's head comes along, if one is there: also of another part. */
  try(target, value, head) {
    if (head) this.#take(head);
    if (value === null) this.#tries.delete(target);
    else this.#tries.set(target, value);
    this.tried.add(target);
    this.#bind([target]);
  }

  #value(target, frame, own) {
    if (this.#tries.has(target)) return this.#tries.get(target);
    const curve = this.#curves[target];
    if (!curve) return own;
    return curve.kind === "colour" ? colourAt(curve.values, frame) : curve.values[frame];
  }

  /** Find which attributes move; done again only when others do. */
  #bind(more = []) {
    for (const target of more) this.touched.add(target);
    const moved = new Set([...Object.keys(this.#curves), ...this.touched]);
    const driven = new Set([...Object.keys(this.#curves), ...this.#tries.keys()]);
    const names = [...moved].sort().concat("", [...driven].sort()).join();
    if (names === this.#bound) return;
    this.#bound = names;
    this.#setters = [];
    this.#own.restore();
    for (const [id, head] of Object.entries(this.#heads)) {
      if (head.space !== "2d") continue;
      const moves = (name) => moved.has(`${id}:${name}`);
      const drives = (name) => driven.has(`${id}:${name}`);
      const valueAt = (frame) => (name) => this.#value(`${id}:${name}`, frame, this.#heads[id].own[name]);
      if (head.placed) this.#bindPlace(id, { moves, moved, valueAt });
      if (head.base !== null) this.#own.takeOut(() => this.element(id, "own"), drivenAttributes(head.bindings, drives, head.above?.some((other) => PLACE.some((name) => driven.has(`${other.id}:${name}`)))));
      if (head.outline && head.outline.names.some(moves)) this.#bindOutline(id, valueAt);
      if (head.shaped?.shaping.some(({ names }) => names.some(moves))) this.#bindShaped(id, valueAt);
      for (const [name, places] of Object.entries(head.bindings)) if (moves(name)) this.#bindPlaces(id, name, places, valueAt);
    }
  }

  #bindPlace(id, { moves, moved, valueAt }) {
    const head = () => this.#heads[id];
    if (head().base !== null) {
      const all = (name) => moves(name) || head().above?.some((other) => moved.has(`${other.id}:${name}`));
      const own = PLACE.some(all) && this.element(id, "own");
      const other = (frame) => ({ id: above, own: values }) => (name) => this.#value(`${above}:${name}`, frame, values[name]);
      if (own) this.#setters.push(setter(own, "transform", (frame) => placeOf(head(), valueAt(frame), other(frame))));
      return;
    }
    for (const [slot, [, ...names]] of Object.entries(VERBS)) {
      const group = names.some(moves) && this.element(id, slot);
      if (group) this.#setters.push(setter(group, "transform", (frame) => transformOf(slot, head(), valueAt(frame))));
    }
  }

  #bindOutline(id, valueAt) {
    const own = this.element(id, "own");
    if (own) this.#setters.push(setter(own, "d", (frame) => outlineOf(this.#heads[id].outline, this.#heads[id].outline.names.map(valueAt(frame)))));
  }

  #bindShaped(id, valueAt) {
    const { key, shaping } = this.#heads[id].shaped;
    const elementOf = (outline) => this.root.querySelector(`#${CSS.escape(this.prefix + outline.element)}`);
    const drawn = this.outlines.of(id, key).map((outline) => [elementOf(outline), outline]).filter(([element]) => element);
    const setters = drawn.map(([element, outline]) => setter(element, "d", (seen) => pathOf(outline.strokes, pointsAt(outline, seen))));
    this.#setters.push((frame) => {
      const seen = seenShapes(shaping, valueAt(frame));
      for (const set of setters) set(seen);
    });
  }

  #bindPlaces(id, name, places, valueAt) {
    if (name === "blur") this.element(id, "move")?.setAttribute("filter", `url(#${this.prefix}${id}--filter)`);
    for (const [slot, attribute] of places) {
      const target = this.element(id, slot);
      if (target) this.#setters.push(setter(target, attribute, (frame) => String(valueAt(frame)(name))));
    }
  }

  /** Show a frame; motion that a file came with is shown at the same time, in seconds. */
  show(frame, seconds) {
    this.frame = frame;
    for (const set of this.#setters) set(frame);
    this.arrays.show(frame ?? 0, { heads: this.#heads, curves: this.#curves, tries: this.#tries, valueOf: (id) => (name) => this.#value(`${id}:${name}`, frame ?? 0, this.#heads[id].own[name]) });
    if (seconds !== undefined) for (const clock of this.clocks) clock.setCurrentTime(seconds);
  }

  /** Take in what arrays the drawing has. */
  loadArrays(pack) {
    for (const head of Object.values(this.arrays.make(pack, (id, slot) => this.element(id, slot)))) this.#take(head);
  }

  /** Draw this frame again: the hand has put something elsewhere. */
  showAgain() {
    this.show(this.frame);
  }

  // --- looking and picking

  hold = () => {};
  onScreen = (point) => point;
  screenOf = ([x, y]) => new DOMPoint(x, y).matrixTransform(this.svg.getScreenCTM());
  spaceAt = (event) => ((at) => [at.x, at.y, 0])(this.toScene(event));

  inSpace({ clientX, clientY }) {
    return { x: clientX, y: clientY };
  }

  pickPiece({ clientX, clientY }, part) {
    return this.arrays.pick(part, document.elementFromPoint(clientX, clientY));
  }

  pick({ clientX, clientY }) {
    return partIdOf(document.elementFromPoint(clientX, clientY), this.prefix);
  }

  /** All parts at a place, the topmost first. */
  pickAll({ clientX, clientY }) {
    const parts = document.elementsFromPoint(clientX, clientY).map((element) => partIdOf(element, this.prefix));
    return [...new Set(parts.filter(Boolean))];
  }

  /** The corners of a part's box on the screen, as points, or null. */
  outline(part) {
    const inside = Object.keys(this.#heads[part]?.moves ?? {}).map((id) => this.outline(id)).filter(Boolean);
    if (inside.length) return around(inside.flat()).map(({ x, y }) => new DOMPoint(x, y));
    const own = this.element(part, "own") ?? this.element(part, "move");
    if (!own?.getBBox) return null;
    const { x, y, width, height } = boxOf(own);
    const matrix = own.getScreenCTM();
    if (!matrix || (!width && !height)) return null;
    return around([{ x, y }, { x: x + width, y: y + height }]).map((corner) => new DOMPoint(corner.x, corner.y).matrixTransform(matrix));
  }

  /** A part's box in what its anchor is counted in: that which the part lies in, before it is moved. */
  anchorBox(head) {
    const inside = Object.values(head.moves ?? {}).flatMap((one) => this.#standing(one));
    if (inside.length) return boxAround(inside);
    const own = this.element(head.id, "own");
    if (!own) return null;
    const { x, y, width, height } = boxOf(own);
    if (head.base === null) return { x, y, width, height };
    return boxAround(cornersOf({ x, y, width, height }, head.base));
  }

  /** The corners of an element's box as it stands at its own values, in what it lies in. */
  #standing(head) {
    const box = this.anchorBox(head);
    return box ? cornersOf(box, about(head.anchor, (name) => head.own[name])) : [];
  }

  /** A place on the screen in what a part's own shape is drawn in. */
  toPart(part, { clientX, clientY }) {
    const own = this.element(part, "own") ?? this.svg;
    return new DOMPoint(clientX, clientY).matrixTransform(own.getScreenCTM().inverse());
  }

  /** A place on the screen in what a part's place is counted in: that which it lies in. */
  toParent(part, { clientX, clientY }) {
    const within = (this.element(part, "move") ?? this.element(part, "own"))?.parentElement ?? this.svg;
    return new DOMPoint(clientX, clientY).matrixTransform(within.getScreenCTM().inverse());
  }

  framePart(part) {
    const corners = this.outline(part);
    if (corners) this.lookAt(corners);
  }

  dispose() {}
}
