// An array under the hand: its pieces picked in order on the stage, and its reaches dragged by their middles.

import { Component } from "./component.js";
import { follow } from "./drag.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { drawn } from "./svg.js";

const AXES = ["x", "y", "z"];

/** The pieces that are picked once one more is under the hand: each once, where it was picked first. Pure. */
export const withPiece = (picked, piece) => (piece === null || picked.includes(piece) ? picked : [...picked, piece]);

export class PiecesHand extends Component {
  #picking = false;
  #reaches = [];

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, head: () => any }} how head() describes the selected part
   */
  constructor(room, signal, { stage, head }) {
    super(room, signal);
    this.stage = stage;
    this.head = head;
    this.over = drawn("svg", { class: "over reaches" });
    stage.root.append(this.over);
    this.on(room, "click", ({ target }) => target.closest("#pick-pieces") && this.#setPicking(!this.#picking));
    this.on(document, "keydown", ({ key }) => key === "Escape" && this.#picking && this.#setPicking(false));
    this.on(stage.root, "pointerdown", (down) => this.#press(down), { capture: true });
    selection.watch(["part"], () => this.#setPicking(false), signal);
  }

  /** The panels were drawn anew. */
  mount() {
    if (!this.find("#pick-pieces")) this.#picking = false;
    this.find("#pick-pieces")?.setAttribute("aria-pressed", String(this.#picking));
    this.stage.root.classList.toggle("boxing", this.#picking);
    this.outline();
  }

  #setPicking(is) {
    this.#picking = is;
    this.mount();
  }

  #press(down) {
    if (!this.#picking || down.button !== 0 || !this.stage.view) return;
    down.stopPropagation();
    const part = this.head().id;
    const path = "shape.params.order.params.picked";
    let picked = JSON.parse(this.find("#picked-pieces").textContent);
    const before = picked.length;
    const take = (event) => (picked = withPiece(picked, this.stage.view.pickPiece(event, part)));
    this.stage.drawing = true;
    this.stage.view.hold(true);
    take(down);
    const end = ({ type }) => {
      this.stage.drawing = false;
      this.stage.view.hold(false);
      if (type !== "pointercancel" && picked.length > before) project.edit({ kind: "set_field", owner: "part", id: part, path, value: picked });
    };
    follow(down, this.stage.root, { move: take, end, signal: this.signal });
  }

  // --- reaches

  /** Draw a handle at the middle of every reach of the selected array that nothing drives. */
  outline() {
    const part = selection.get("part");
    const { view } = this.stage;
    const reaches = view?.arrays?.reaches(part) ?? [];
    if (reaches.length !== this.#reaches.length) this.#make(reaches.length);
    const { left, top } = this.stage.root.getBoundingClientRect();
    reaches.forEach((reach, place) => {
      const at = view.onScreen(reach.middle);
      const [dot, word] = this.#reaches[place];
      for (const one of [dot, word]) one.setAttribute("visibility", at ? "visible" : "hidden");
      if (!at) return;
      dot.setAttribute("transform", `translate(${at.x - left} ${at.y - top})`);
      word.setAttribute("transform", `translate(${at.x - left} ${at.y - top + 21})`);
      word.textContent = reach.name.replace("reach", "reach ");
      dot.dataset.reach = reach.name;
    });
  }

  #make(count) {
    this.over.replaceChildren();
    this.#reaches = Array.from({ length: count }, () => {
      const dot = drawn("circle", { class: "reach-handle", r: 7, tabindex: "-1" });
      const word = drawn("text", { class: "order-word" });
      dot.addEventListener("pointerdown", (down) => this.#drag(down, dot.dataset.reach));
      this.over.append(dot, word);
      return [dot, word];
    });
  }

  /** A reach goes with the hand, in the plane that faces the eye; its place is stored when it is let go. */
  #drag(down, name) {
    down.stopPropagation();
    const part = selection.get("part");
    const { view } = this.stage;
    const { middle } = view.arrays.reaches(part).find((reach) => reach.name === name);
    const head = this.head();
    let at = null;
    view.hold(true);
    this.stage.drawing = true;
    const move = (event) => {
      at = view.arrays.toOwn(part, view.inSpace(event, middle)).map((value) => Number(value.toFixed(3)));
      at.forEach((value, place) => view.try(`${part}:${name}_${AXES[place]}`, value, head));
      view.showAgain();
    };
    const end = async ({ type }) => {
      view.hold(false);
      this.stage.drawing = false;
      if (at && type !== "pointercancel") await project.edit({ kind: "together", words: `Move ${name.replace("reach", "reach ")}`, commands: at.map((value, place) => ({ kind: "set_value", target: `${part}:${name}_${AXES[place]}`, value })) });
      await this.stage.shown; // until then it is seen where the hand left it
      for (const axis of AXES.slice(0, at?.length ?? 0)) view.try(`${part}:${name}_${axis}`, null);
      view.showAgain();
    };
    follow(down, this.over, { move, end, signal: this.signal });
  }
}
