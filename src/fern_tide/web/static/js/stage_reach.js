// A reach that stands in the scene, drawn over the stage where it is at this frame, and dragged by its middle.

import { Component } from "./component.js";
import { follow } from "./drag.js";
import { axesOf } from "./pieces.js";
import { project } from "./project.js";
import { drawn } from "./svg.js";
import { movedBy } from "./ways.js";

const AXES = ["x", "y", "z"];
const AROUND = 48;
const WIDE = { "2d": 400, "3d": 1.5 }; // how far a plane is drawn to each side of its middle
const FLAT = [[0, 1]];
const ALL = [
  [0, 1],
  [1, 2],
  [0, 2],
];
const RING = Array.from({ length: AROUND + 1 }, (_, at) => [Math.cos((2 * Math.PI * at) / AROUND), Math.sin((2 * Math.PI * at) / AROUND)]);
const SQUARE = [
  [-1, -1],
  [1, -1],
  [1, 1],
  [-1, 1],
  [-1, -1],
];

/**
 * A line in the plane of two axes, as long along each as is given. Pure.
 * @param {number[][]} line @param {number[]} pair @param {number[]} sizes
 */
const inPlane = (line, [a, b], sizes) => line.map((at) => AXES.map((_, axis) => (axis === a ? at[0] * sizes[a] : axis === b ? at[1] * sizes[b] : 0)));

/** Where a reach ends, or begins to fade, as lines about its middle, before it is turned. Pure. */
export function linesOf({ measure }, space, edge, sizes) {
  const pairs = space === "2d" ? FLAT : ALL;
  if (measure === "length") return pairs.map((pair) => inPlane(RING, pair, [edge, edge, edge]));
  if (measure === "largest") {
    const half = sizes.map((size) => (size ?? 0) * edge);
    return pairs.map((pair) => inPlane(SQUARE, pair, half));
  }
  const wide = WIDE[space];
  const flat = [-wide, wide].map((x) => [x, edge, 0]);
  return space === "2d" ? [flat] : [inPlane(SQUARE, [0, 2], [wide, 0, wide]).map(([x, , z]) => [x, edge, z])];
}

/** The lines of a reach where it stands: of its outer edge first, then of its inner one. Pure. */
export function edgesOf(head, space, valueOf) {
  const of = (what) => valueOf(`reach_${what}`) ?? 0;
  const centre = AXES.map(of);
  const axes = axesOf(...(head.turned ? AXES.map((axis) => of(`turn_${axis}`)) : [0, 0, 0]));
  const sizes = AXES.map((axis) => valueOf(`reach_size_${axis}`));
  const placed = ([x, y, z]) => centre.map((middle, row) => middle + axes[0][row] * x + axes[1][row] * y + axes[2][row] * z);
  return ["outer", "inner"].map((what) => linesOf(head, space, of(what), sizes).map((line) => line.map(placed)));
}

export class ReachHand extends Component {
  #head = null;
  #tried = {};
  /** @type {any[]} */
  #lines = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, valueAt: (target: string) => number | undefined, onTry: (command: any) => any }} how valueAt(target) is what drives a property makes of it at this frame; onTry(command) shows what an edit would do
   */
  constructor(room, signal, { stage, valueAt, onTry }) {
    super(room, signal);
    this.stage = stage;
    this.valueAt = valueAt;
    this.onTry = onTry;
    this.over = drawn("svg", { class: "over" });
    this.dot = drawn("circle", { class: "reach-handle", r: 7, tabindex: "-1" });
    this.on(this.dot, "pointerdown", (down) => this.#drag(down));
    stage.root.append(this.over);
  }

  /** The panels were drawn anew. */
  mount() {
    if (!this.stage.drawing) this.#tried = {};
    this.#head = JSON.parse(this.find("#reach-head")?.textContent ?? "null");
    this.#lines = [];
    this.over.replaceChildren();
    this.outline();
  }

  #valueOf = (name) => this.#tried[name] ?? this.valueAt(`${this.#head.id}:${name}`) ?? this.#head.own[name];

  #screen(at) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const seen = this.stage.view.screenOf(movedBy(this.#head.to_scene, at));
    return seen && { x: seen.x - left, y: seen.y - top };
  }

  get #middle() {
    return AXES.map((axis) => this.#valueOf(`reach_${axis}`) ?? 0);
  }

  /** Whether nothing drives its place, so that the hand can. */
  get #isFree() {
    return !AXES.some((axis) => this.valueAt(`${this.#head.id}:reach_${axis}`) !== undefined);
  }

  /** Draw it from where the eye is, where it is at this frame. */
  outline() {
    if (!this.#head || !this.stage.view) return;
    const [outer, inner] = edgesOf(this.#head, this.stage.space, this.#valueOf);
    if (outer.length + inner.length !== this.#lines.length) this.#make(outer.length, inner.length);
    [...outer, ...inner].forEach((line, place) => {
      const points = line.map((at) => this.#screen(at));
      this.#lines[place].setAttribute("points", points.includes(null) ? "" : points.map(({ x, y }) => `${x},${y}`).join(" "));
    });
    const at = this.#isFree ? this.#screen(this.#middle) : null;
    this.dot.setAttribute("visibility", at ? "visible" : "hidden");
    if (at) this.dot.setAttribute("transform", `translate(${at.x} ${at.y})`);
  }

  #make(outer, inner) {
    const classes = [...Array(outer).fill("reach-edge"), ...Array(inner).fill("reach-edge reach-inner")];
    this.#lines = classes.map((name) => drawn("polyline", { class: name }));
    this.over.replaceChildren(...this.#lines, this.dot);
  }

  /** It goes with the hand, in the plane that faces the eye; what goes by it is seen at once. */
  #drag(down) {
    down.stopPropagation();
    const { view, space } = this.stage;
    const { id, to_scene, to_own } = this.#head;
    const near = movedBy(to_scene, this.#middle);
    const digits = space === "2d" ? 1 : 3;
    const axes = AXES.filter((axis) => `reach_${axis}` in this.#head.own);
    view.hold(true);
    this.stage.drawing = true;
    const command = () => ({ kind: "together", words: "Move the reach", commands: axes.map((axis) => ({ kind: "set_value", target: `${id}:reach_${axis}`, value: this.#tried[`reach_${axis}`] })) });
    const move = (event) => {
      const at = movedBy(to_own, view.spaceAt(event, near));
      this.#tried = Object.fromEntries(axes.map((axis, place) => [`reach_${axis}`, Number(at[place].toFixed(digits))]));
      this.outline();
      this.onTry(command());
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      const stored = Object.keys(this.#tried).length && type !== "pointercancel" && (await project.edit(command()));
      if (stored) return; // it is seen where the hand left it until it is drawn
      this.onTry(null);
      this.#tried = {};
      this.outline();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }
}
