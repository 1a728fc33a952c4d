// The properties of the selected part: tried by hand, and its anchor. What is set by a field alone edits by itself (bound.js).

import { Component } from "./component.js";
import { follow } from "./drag.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { Leading } from "./stage_leading.js";
import { transport } from "./transport.js";

const NINE = [0, 0.5, 1];
const NO_SHAPE = "This part has no shape of its own: type where its anchor is.";

/** The value under a knob: 0 to 1000 over the ends of its slider. Pure. */
export const knobValue = (at, from, to) => Number((from + (at / 1000) * (to - from)).toPrecision(6));

const rounded = (value, digits) => Number(value.toFixed(digits));
const valueOf = (knob) => knobValue(Number(knob.value), Number(knob.dataset.from), Number(knob.dataset.to));
const knobOf = (event) => event.target.closest?.("input[data-try]");

export class PartProperties extends Component {
  #tried = null;
  #tries = new Map(); // how often each property was tried
  #outlined = null; // which outline the next drag on the stage draws

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ stage: any, head: () => any, onUnseen: (command: any) => any }} how head() is what the page knows of the part;
   *   onUnseen(command) shows what an edit of a value would do that only other properties show, or with null what is stored
   */
  constructor(root, signal, { stage, head, onUnseen }) {
    super(root, signal);
    this.onUnseen = onUnseen;
    this.stage = stage;
    this.head = head;
    this.on(root, "input", (event) => knobOf(event) && this.#hold(knobOf(event)));
    this.on(root, "change pointerup pointercancel keyup", (event) => knobOf(event) && setTimeout(() => this.#release(event.target)));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(root, "ft:set", ({ target }) => target.dataset.own && this.#back(target.dataset.own));
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(project, "refused", ({ detail }) => this.#askAgain(detail));
    this.leading = new Leading(root, this.signal, { stage, value: valueOf, put: (knob, value) => this.putKnob(knob, value), onEnd: () => this.all("input[data-try]").forEach((knob) => this.#release(knob)) });
  }

  get #part() {
    return JSON.parse(this.find("[data-part-json]")?.textContent ?? "null");
  }

  // --- trying by hand: the value is shown while the hand holds the knob, and goes back when it lets go

  /** Put a knob where a value is. */
  putKnob(knob, value) {
    const [from, to] = [Number(knob.dataset.from), Number(knob.dataset.to)];
    knob.value = String(Math.round(((value - from) / (to - from || 1)) * 1000));
  }

  #hold(knob) {
    const target = knob.dataset.try;
    const value = valueOf(knob);
    knob.dataset.held = "";
    this.#show(target, value);
    this.#tell(target, value);
  }

  #release(knob) {
    if (!("held" in knob.dataset) || this.leading.leads(knob.dataset.try)) return;
    delete knob.dataset.held;
    const [, name] = knob.dataset.try.split(":");
    this.putKnob(knob, this.head().own[name]);
    this.#show(knob.dataset.try, null);
    transport.show();
  }

  /** Show an own value that a field holds; a colour can be used as rest or full afterwards. */
  tryOwn(field, value) {
    this.#show(field.dataset.own, value);
    if (field.type === "color") this.#tell(field.dataset.own, value);
  }

  #show(target, value) {
    const { view } = this.stage;
    if (value !== null) this.#tries.set(target, (this.#tries.get(target) ?? 0) + 1);
    if (this.find(`[data-property="${CSS.escape(target)}"][data-unseen]`)) this.onUnseen(value === null ? null : { kind: "set_value", target, value });
    view?.try(target, value, this.head());
    view?.show(transport.frame);
    const output = this.find(`[data-running="${CSS.escape(target)}"].num`);
    if (output && typeof value === "number") output.textContent = String(value);
    view?.onView?.();
  }

  /** An own value is on its way into the project: the view shows it until that is seen, or another one is tried. */
  async #back(target) {
    const tries = this.#tries.get(target);
    await new Promise((after) => setTimeout(after)); // when whoever hears of the field has sent it
    await project.settled();
    await this.stage.shown;
    if (tries === this.#tries.get(target) && !this.signal.aborted) this.#show(target, null);
  }

  #tell(target, value) {
    this.#tried = { target, value };
    for (const row of this.all("[data-tried]")) row.hidden = row.dataset.tried !== target;
    const words = this.find(`[data-tried="${CSS.escape(target)}"] [data-tried-value]`);
    if (words) words.textContent = String(value);
  }

  /** Say again what was tried, after the page was drawn anew: it can still be used. */
  renew() {
    if (this.#tried && this.#tried.target.split(":")[0] !== selection.get("part")) this.#tried = null;
    if (this.#tried) this.#tell(this.#tried.target, this.#tried.value);
    this.#showOutlined();
  }

  /** Use what was tried as a mapping's rest or full, or as the part's own value where nothing drives it. */
  #use(command) {
    const { value } = this.#tried;
    this.#tried = null;
    return project.edit({ ...command, value });
  }

  #changed(target) {
    if (target.id === "anchor-3d" && target.value !== "point") this.#anchorSolid(target.value);
    if (target.type === "color" && target.dataset.own) {
      if (target.dataset.command) this.#back(target.dataset.own);
      else this.#show(target.dataset.own, null); // what drives it says its value
    }
  }

  // --- anchors

  #setAnchor(anchor) {
    return project.edit({ kind: "set_anchor", id: this.head().id, anchor });
  }

  get #box() {
    const box = this.stage.view?.anchorBox(this.head());
    if (!box) notice(NO_SHAPE);
    return box;
  }

  #anchorAt(column, row, word) {
    const box = this.#box;
    if (box) this.#setAnchor({ x: rounded(box.x + box.width * NINE[column], 4), y: rounded(box.y + box.height * NINE[row], 4), word });
  }

  #anchorSolid(word) {
    const known = word === "origin" ? { x: 0, y: 0, z: 0, word } : JSON.parse(this.find("#solid-anchors").textContent)[word];
    const box = known ? null : this.#box;
    if (known) this.#setAnchor(known);
    if (!box) return;
    const { min, max } = box;
    const height = { base: min.y, centre: (min.y + max.y) / 2, top: max.y }[word];
    this.#setAnchor({ x: rounded((min.x + max.x) / 2, 6), y: rounded(height, 6), z: rounded((min.z + max.z) / 2, 6), word });
  }

  #pressed(button) {
    const { use, anchor, word, drawOutline } = button?.dataset ?? {};
    if (use) this.#use(JSON.parse(use));
    else if (anchor) this.#anchorAt(...anchor.split(" ").map(Number), word);
    else if (button?.id === "keep-base") project.status.space === "3d" ? this.#anchorSolid("base") : this.#anchorAt(1, 2, "bottom");
    else if (drawOutline) this.#drawOutline(drawOutline);
  }

  /** A part that others depend on is not removed at once: ask. */
  #askAgain({ wrong, command }) {
    if (command?.kind !== "remove_part" || !wrong.remedy.endsWith("?")) return;
    notice(wrong.message, { act: { words: "Remove it with that", run: () => project.edit({ ...command, with_users: true }) } });
  }

  /** The next drag on the stage draws a path, or the mask of a picture. */
  #drawOutline(field) {
    const { stage } = this;
    const press = (is) => {
      this.#outlined = is ? field : null;
      this.#showOutlined();
      stage.drawing = is;
    };
    const draw = (down) => {
      const points = [];
      const at = (event) => {
        const { x, y } = stage.view.toPart(selection.get("part"), event);
        points.push(`${x.toFixed(1)} ${y.toFixed(1)}`);
      };
      const end = () => {
        press(false);
        if (points.length >= 3) this.#takeOutline(points, field);
      };
      at(down);
      follow(down, stage.root, { move: at, end, signal: this.signal });
    };
    press(true);
    stage.root.addEventListener("pointerdown", draw, { once: true, signal: this.signal });
  }

  /** The button that was pressed stays so, also where it was drawn anew meanwhile. */
  #showOutlined() {
    for (const button of this.all("[data-draw-outline]")) button.setAttribute("aria-pressed", String(button.dataset.drawOutline === this.#outlined));
  }

  #takeOutline(points, field) {
    const { id, shape } = this.#part;
    const masks = field === "outline";
    const outline = `M${points.join("L")}${masks || shape.params.filled ? "Z" : ""}`;
    const params = { ...shape.params, [field]: outline, ...(masks ? { mask: "drawn" } : {}) };
    return project.edit({ kind: "set_field", owner: "part", id, path: "shape.params", value: params });
  }
}
