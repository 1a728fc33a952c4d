// Looking at the stage and picking from it: orbit, pan, zoom, frame; the selection in ember dashes.

import { Component } from "./component.js";
import { isTyping } from "./keyboard.js";
import { notice } from "./notices.js";
import { selection } from "./selection.js";
import { drawn } from "./svg.js";

const CLICK_PX = 4;
const WHEEL = 0.0012;
export const DASHES = { fill: "none", stroke: "#c4572e", "stroke-width": "1.5", "stroke-dasharray": "5 4" };
const KEYS = { f: "frame-part", 0: "frame-all", s: "show-full" };

/** Of the parts at one place, the topmost first, the one after the chosen one; after the last the topmost again. Pure. */
export const nextUnder = (parts, chosen) => parts[(parts.indexOf(chosen) + 1) % parts.length] ?? null;

/** An outline over the stage. */
export function dashesOver(root) {
  const over = drawn("svg", { class: "over", "aria-hidden": "true" });
  const dashes = drawn("polygon", DASHES);
  over.append(dashes);
  root.append(over);
  return dashes;
}

export class Looking extends Component {
  #drag = null;
  #background = true;
  #clicked = { x: NaN, y: NaN };
  #camera = false;

  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ stage: any, onPick: (part: string, event: any) => any, onOutline: () => any }} how onOutline hears when the
   *   stage is looked at otherwise, or another frame of it
   */
  constructor(room, signal, { stage, onPick, onOutline }) {
    super(room, signal);
    this.stage = stage;
    this.onPick = onPick;
    this.onOutline = onOutline;
    this.dashes = dashesOver(stage.root);
    this.on(stage.root, "pointerdown", (event) => this.#press(event));
    this.on(stage.root, "pointermove", (event) => this.#move(event));
    this.on(stage.root, "pointerup", (event) => this.#release(event));
    this.on(stage.root, "pointercancel", () => (this.#drag = null));
    this.on(stage.root, "wheel", (event) => this.#wheel(event), { passive: false });
    this.on(room, "click", ({ target }) => this.#act(target.closest("button")?.id));
    this.on(document, "keydown", (event) => this.#key(event));
    this.on(document, "fullscreenchange", () => this.#view?.frameAll());
    stage.ready.then(() => this.signal.aborted || this.mount());
  }

  get #view() {
    return this.stage.view;
  }

  /** Draw the selection's outline where it is now. */
  outline() {
    this.onOutline();
    const part = selection.get("part");
    const corners = this.#view && part ? this.#view.outline(part) : null;
    this.dashes.setAttribute("visibility", corners ? "visible" : "hidden");
    if (!corners) return;
    const { left, top } = this.stage.root.getBoundingClientRect();
    this.dashes.setAttribute("points", corners.map(({ x, y }) => `${(x - left).toFixed(1)},${(y - top).toFixed(1)}`).join(" "));
  }

  /** The stage shows another frame: a 3D view says so itself, once that is drawn. */
  follow() {
    if (this.stage.space === "2d") this.outline();
  }

  /** The panels were drawn anew: show on their buttons how the stage is looked at. */
  mount() {
    this.#show("#show-background", this.#background);
    this.#show("#through-camera", this.#camera);
    this.#show("#draft", Boolean(this.#view?.draft));
    const outline = () => this.outline();
    if (this.#view) Object.assign(this.#view, { onView: outline, onDrawn: outline });
    this.outline();
  }

  #show(selector, is) {
    this.find(selector)?.setAttribute("aria-pressed", String(is));
  }

  #press(event) {
    if (this.stage.drawing) return;
    this.#drag = { x: event.clientX, y: event.clientY, moved: false, pans: this.stage.space === "2d" };
    if (this.#drag.pans) this.stage.root.setPointerCapture(event.pointerId);
  }

  #move(event) {
    const drag = this.#drag;
    if (!drag) return;
    const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
    drag.moved ||= Math.hypot(dx, dy) > CLICK_PX;
    if (!drag.moved || !drag.pans) return;
    this.#view?.pan(dx, dy);
    Object.assign(drag, { x: event.clientX, y: event.clientY });
  }

  #release(event) {
    const clicked = this.#drag && !this.#drag.moved;
    this.#drag = null;
    const { root } = this.stage;
    if (root.hasPointerCapture(event.pointerId)) root.releasePointerCapture(event.pointerId);
    if (clicked) this.#pick(event);
  }

  /** What is under the pointer; in a drawing, again and again at one place, what lies under that. */
  #under(event) {
    const view = this.#view;
    if (!view?.pickAll || event.shiftKey || event.ctrlKey || event.metaKey) return view?.pick(event);
    const { x, y } = this.#clicked;
    const again = Math.hypot(event.clientX - x, event.clientY - y) <= CLICK_PX;
    this.#clicked = { x: event.clientX, y: event.clientY };
    return nextUnder(view.pickAll(event), again ? selection.get("part") : null);
  }

  async #pick(event) {
    const hit = this.#under(event);
    if (!hit) return;
    const part = await this.stage.partOf(hit);
    if (part) this.onPick(part, event);
  }

  #wheel(event) {
    if (this.stage.space !== "2d") return;
    event.preventDefault();
    this.#view?.zoom(Math.exp(event.deltaY * WHEEL), event);
  }

  #key(event) {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
    this.#act(KEYS[event.key.toLowerCase()]);
  }

  /** Nothing but the stage, on the whole screen; again, or Escape, ends it. */
  #showFull() {
    if (document.fullscreenElement) document.exitFullscreen();
    else this.stage.root.requestFullscreen().catch(() => notice("This browser does not give the whole screen to a page."));
  }

  /** Do what a button says: what needs the scene, as soon as that is there. */
  #act(id) {
    if (id === "show-full") this.#showFull(); // a browser gives it only at once
    const act = this.#acts[id];
    if (act) this.stage.ready.then(() => this.#view && act(this.#view, selection.get("part")));
  }

  #acts = {
    "frame-part": (view, part) => part && view.framePart(part),
    "frame-all": (view) => view.frameAll(),
    "show-background": (view) => {
      view.background((this.#background = !this.#background));
      this.#show("#show-background", this.#background);
    },
    draft: (view) => {
      view.setDraft(!view.draft);
      this.#show("#draft", view.draft);
    },
    "through-camera": (view, part) => {
      this.#camera = view.lookThrough(!this.#camera, part) ?? false;
      this.#show("#through-camera", this.#camera);
    },
  };
}
