// A way under the hand: drawn over the stage, its points and their handles dragged, or all of it drawn point by point.

import { Component } from "./component.js";
import { follow } from "./drag.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { drawn } from "./svg.js";
import { alongCurves, handlesOf, movedBy, wayCurves } from "./ways.js";

const STEPS = 16;
const MOST_HANDLES = 200;
const PATH = "shape.params.points";

export class WaysHand extends Component {
  #way = null;
  #drawing = null;
  #marks = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, onTry: (command: any) => any }} how onTry(command) shows what an edit would do
   */
  constructor(room, signal, { stage, onTry }) {
    super(room, signal);
    this.stage = stage;
    this.onTry = onTry;
    this.over = drawn("svg", { class: "over ways" });
    this.lines = ["way-under", "way-line"].map((name) => drawn("polyline", { class: name }));
    this.marks = drawn("g");
    this.over.append(...this.lines, this.marks);
    stage.root.append(this.over);
    this.on(room, "click", ({ target }) => target.closest("#draw-way") && (this.#drawing ? this.#end() : this.#begin()));
    this.on(document, "keydown", ({ key }) => ["Escape", "Enter"].includes(key) && this.#drawing && this.#end());
    this.on(stage.root, "pointerdown", (down) => this.#press(down), { capture: true });
    selection.watch(["part"], () => this.#drawing && this.#end(), signal);
  }

  /** The panels were drawn anew; what is being drawn stays. */
  mount() {
    const way = JSON.parse(this.find("#way-head")?.textContent ?? "null");
    this.#way = way && way.id === this.#drawing?.part ? { ...way, points: this.#drawing.points } : way;
    this.#show();
    this.outline();
  }

  #show() {
    this.find("#draw-way")?.setAttribute("aria-pressed", String(Boolean(this.#drawing)));
    this.stage.root.classList.toggle("boxing", Boolean(this.#drawing));
  }

  // --- drawing point by point

  #begin() {
    this.#drawing = { part: this.#way.id, points: [] };
    this.#way = { ...this.#way, points: [] };
    this.#show();
    this.outline();
  }

  async #end() {
    const { part, points } = this.#drawing;
    this.#drawing = null;
    this.#show();
    const stored = points.length > 1 && (await project.edit({ kind: "set_field", owner: "part", id: part, path: PATH, value: points }));
    if (!stored) this.mount(); // otherwise it is seen as it was drawn until the panels are drawn anew
  }

  #press(down) {
    const { view } = this.stage;
    if (!this.#drawing || down.button !== 0 || !view) return;
    down.stopPropagation();
    const before = this.#drawing.points.at(-1);
    const near = movedBy(this.#way.to_scene, before ? [before.x, before.y, before.z] : [0, 0, 0]);
    this.#drawing.points.push({ ...this.#point(view.spaceAt(down, near)), handle: null });
    this.#way = { ...this.#way, points: this.#drawing.points };
    this.outline();
  }

  /** A point of the scene as the way counts it, rounded. */
  #point(at) {
    const digits = this.stage.space === "2d" ? 1 : 3;
    const [x, y, z] = movedBy(this.#way.to_own, at).map((value) => Number(value.toFixed(digits)));
    return { x, y, z };
  }

  // --- what is seen

  /** Draw the line, and where it is the way's own its points and their handles. */
  outline() {
    const { view } = this.stage;
    const shown = this.#way && view ? this.#seen() : [];
    for (const line of this.lines) line.setAttribute("points", shown.map(({ x, y }) => `${x},${y}`).join(" "));
    this.#putMarks(view);
  }

  #screen(at) {
    const { left, top } = this.stage.root.getBoundingClientRect();
    const found = this.stage.view.screenOf(at);
    return found && { x: found.x - left, y: found.y - top };
  }

  #seen() {
    const way = this.#way;
    const own = way.points && alongCurves(wayCurves(way.points, way), STEPS).map((at) => movedBy(way.to_scene, at));
    return (own ?? way.line).map((at) => this.#screen(at)).filter(Boolean);
  }

  #putMarks(view) {
    const points = (view && this.#way?.points) || [];
    const handles = points.length > 1 && points.length <= MOST_HANDLES && this.#way.smooth ? handlesOf(points, this.#way) : [];
    if (this.#marks.length !== points.length || (handles.length > 0) !== Boolean(this.#marks[0]?.handle)) this.#make(points.length, handles.length > 0);
    points.forEach((point, place) => {
      const at = [point.x, point.y, point.z];
      this.#put(this.#marks[place].dot, at);
      if (!handles[place]) return;
      const end = at.map((value, axis) => value + handles[place][axis]);
      const [from, to] = [at, end].map((one) => this.#screen(movedBy(this.#way.to_scene, one)));
      this.#put(this.#marks[place].handle, end);
      const { line } = this.#marks[place];
      line.setAttribute("visibility", from && to ? "visible" : "hidden");
      if (from && to) for (const [name, value] of Object.entries({ x1: from.x, y1: from.y, x2: to.x, y2: to.y })) line.setAttribute(name, value);
    });
  }

  #put(mark, at) {
    const seen = this.#screen(movedBy(this.#way.to_scene, at));
    mark.setAttribute("visibility", seen ? "visible" : "hidden");
    if (seen) mark.setAttribute("transform", `translate(${seen.x} ${seen.y})`);
  }

  #make(count, bent) {
    this.marks.replaceChildren();
    this.#marks = Array.from({ length: count }, (_, place) => {
      const line = drawn("line", { class: "way-arm" });
      const handle = bent ? drawn("circle", { class: "way-handle", r: 4 }) : null;
      const dot = drawn("circle", { class: "reach-handle way-point", r: 6, "data-point": place });
      handle?.addEventListener("pointerdown", (down) => this.#drag(down, place, true));
      dot.addEventListener("pointerdown", (down) => this.#drag(down, place, false));
      return { line, handle, dot };
    });
    for (const name of ["line", "handle", "dot"]) this.marks.append(...this.#marks.map((mark) => mark[name]).filter(Boolean)); // points lie over handles
  }

  // --- dragging

  #drag(down, place, bends) {
    if (this.#drawing) return;
    down.stopPropagation();
    const { view } = this.stage;
    const way = this.#way;
    const point = way.points[place];
    const start = [point.x, point.y, point.z];
    const handle = handlesOf(way.points, way)[place];
    const near = movedBy(way.to_scene, bends ? start.map((value, axis) => value + handle[axis]) : start);
    let changed = null;
    view.hold(true);
    this.stage.drawing = true;
    const move = (event) => {
      const { x, y, z } = this.#point(view.spaceAt(event, near));
      changed = bends ? { ...point, handle: [x - start[0], y - start[1], z - start[2]].map((value) => Number(value.toFixed(3))) } : { ...point, x, y, z };
      this.#way = { ...way, points: way.points.map((one, at) => (at === place ? changed : one)) };
      this.outline();
      this.onTry(this.#edit(place, changed));
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      const stored = changed && type !== "pointercancel" && (await project.edit(this.#edit(place, changed)));
      if (!stored) this.mount();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }

  #edit(place, value) {
    return { kind: "set_field", owner: "part", id: this.#way.id, path: `${PATH}.${place}`, value };
  }
}
