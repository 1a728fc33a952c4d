// The curve under the hand: a stretch is chosen, keys are dragged, added and taken out; what becomes of it is asked of the server.

import { frameUnder } from "./axis.js";
import { sizeOf } from "./canvas.js";
import { Component } from "./component.js";
import { follow } from "./drag.js";
import { drawKeysPlot, editedKeys, keyNear, keysWithin, plotOf, rangeOf, under } from "./keys_plot.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { getPack, newest } from "./server.js";
import { telling } from "./notices.js";
import { transport } from "./transport.js";

const DRAG_FROM_PX = 4;
const listed = (value) => (Array.isArray(value) ? value : [value]);

export class LargeCurve extends Component {
  curve = null;
  chosen = new Set(); // frames of keys
  #sent = { ever: 0, underWay: 0 }; // edits of keys
  #drag = null; // by how much the chosen keys are dragged, or the rectangle that chooses some

  /** @param {any} root the room @param {AbortSignal} signal @param {any} axis */
  constructor(root, signal, axis) {
    super(root, signal);
    this.axis = axis;
    this.canvas = this.find("#keys-plot");
    this.#sayMode();
    if (!this.canvas) return;
    this.on(this.canvas, "pointerdown", (down) => down.button === 0 && this.#press(down));
    this.on(this.canvas, "dblclick", (event) => this.#add(event));
    this.on(this.canvas, "keydown", (event) => this.#key(event));
    for (const button of this.all("[data-hand]")) this.on(button, "click", () => this.#hand(button.dataset.hand));
    for (const button of this.all("[data-touch]")) this.on(button, "click", () => this.#touch(button.dataset.touch));
    for (const button of this.all("[data-to-stretch]")) this.on(button, "click", () => this.#toStretch(button.dataset.toStretch));
    for (const button of this.all("[data-compare]")) this.on(button, "click", () => this.#compare(button.dataset.compare));
    this.on(this.find("#key-remove"), "click", () => this.#edit({ remove: true }));
    this.on(this.find("#key-between"), "change", ({ target }) => this.#edit({ interpolation: target.value }));
    this.on(this.find("#key-frame"), "ft:set", ({ detail }) => this.#edit({ by_frames: detail - this.#one().frame }));
    this.on(this.find("#key-value"), "ft:set", ({ detail }) => this.#edit({ by_value: detail - this.#one().value }));
    this.on(this.find("#key-slope"), "ft:set", ({ detail }) => this.#edit({ slope: detail, interpolation: "cubic" }));
    this.on(transport, "selection", () => (this.draw(), this.#sayMode()));
  }

  get target() {
    return this.canvas.dataset.target;
  }

  get keys() {
    return { frames: this.curve.frames, values: this.curve.keys[0] };
  }

  get #mode() {
    return selection.get("hand");
  }

  get #plot() {
    const { dense, below, keys } = this.curve;
    const range = rangeOf([...dense, ...(below ?? []), ...keys]);
    return plotOf(range, this.axis.view, sizeOf(this.canvas));
  }

  /** Go on where another one of the same curve was. */
  goOn(before) {
    Object.assign(this, { curve: before.curve, chosen: before.chosen });
    this.#sent = before.#sent;
    this.#sayMode();
  }

  #ask = newest(() => telling(() => getPack(project.url(`hand-off/curve?target=${encodeURIComponent(this.target)}`))));

  /** Show the curve as it is stored; while edits of its keys are on their way it is asked for after the last of them. */
  async load() {
    if (!this.canvas || (this.curve && this.#sent.underWay)) return;
    const { ever } = this.#sent;
    const pack = await this.#ask();
    if (!pack || this.signal.aborted || ever !== this.#sent.ever) return;
    const { head, arrays } = pack;
    const [dense, keys] = [listed(arrays[head.dense]), listed(arrays[head.keys])];
    const below = head.below === null ? null : listed(arrays[head.below]);
    this.curve = { dense, keys, below, frames: Array.from(arrays[head.frames]), spans: head.spans, unit: head.unit };
    this.chosen = new Set([...this.chosen].filter((frame) => this.curve.frames.includes(frame)));
    this.axis.resize(dense[0].length);
    this.find("#keys-words").textContent = `${this.curve.frames.length} keys for ${dense[0].length} frames, never more than ${head.error_percent.toFixed(2)} % from the dense curve`;
    this.#sayMode();
    this.draw();
  }

  draw() {
    if (!this.curve || !this.canvas) return;
    const [plot, drag] = [this.#plot, this.#drag];
    const keys = drag?.by ? editedKeys(this.keys, this.chosen, drag.by) : null;
    const chosen = drag?.by ? new Set([...this.chosen].map((frame) => frame + drag.by.by_frames)) : this.chosen;
    drawKeysPlot(this.canvas, this.curve, plot, { stretch: transport.selection, chosen, keys, rectangle: drag?.rectangle, drawn: drag?.drawn });
  }

  #hand(mode) {
    selection.set({ hand: mode });
    this.#sayMode();
    this.draw();
  }

  /** Say what can be done now: to the stretch, or to the keys that are chosen. */
  #sayMode() {
    for (const button of this.all("[data-hand]")) button.setAttribute("aria-pressed", String(button.dataset.hand === this.#mode));
    const [words, acts, keyActs] = ["#stretch-words", "#stretch-acts", "#key-acts"].map((name) => this.find(name));
    if (!words) return;
    const [stretch, keys] = [transport.selection, this.#mode === "keys"];
    acts.hidden = this.#mode !== "stretch" || !stretch;
    keyActs.hidden = !keys || !this.#there.length;
    words.textContent = keys ? this.#keyWords() : this.#mode === "draw" ? "Drag over the curve to draw it anew." : this.#stretchWords(stretch);
    if (!keyActs.hidden) this.#fillFields();
  }

  #stretchWords(stretch) {
    if (!stretch) return "Drag over the curve to choose a stretch, then say what becomes of it.";
    const seconds = ((stretch[1] - stretch[0]) * transport.rate[1]) / transport.rate[0];
    return `${stretch[0]} to ${stretch[1] - 1}, ${seconds.toFixed(1)} s`;
  }

  #keyWords() {
    if (this.curve && this.curve.dense.length > 1) return "Keys of a colour: hold or scale a stretch of it instead.";
    return this.chosen.size ? `${this.chosen.size} key${this.chosen.size > 1 ? "s" : ""}` : "Click a key, drag over several, double click to add one.";
  }

  /** The chosen keys that are there. */
  get #there() {
    return this.curve ? [...this.chosen].filter((frame) => this.curve.frames.includes(frame)) : [];
  }

  /** The first of the chosen keys. */
  #one() {
    const frame = Math.min(...this.#there);
    return { frame, value: this.curve.keys[0][this.curve.frames.indexOf(frame)] };
  }

  #fillFields() {
    const { frame, value } = this.#one();
    const put = (name, number) => document.activeElement?.id !== name && (this.find(`#${name}`).value = String(Number(number.toPrecision(6))));
    put("key-frame", frame);
    put("key-value", value);
    const range = rangeOf(this.curve.dense);
    this.find("#key-value").dataset.step = String(10 ** Math.round(Math.log10((range.high - range.low) / 200)));
  }

  #press(down) {
    if (!this.curve) return;
    if (this.#mode === "keys" && this.curve.dense.length === 1) this.#pressKeys(down);
    else if (this.#mode === "draw" && this.curve.dense.length === 1) this.#pressDraw(down);
    else this.#pressStretch(down);
  }

  /** Choose a stretch, or move the playhead by a click. */
  #pressStretch(down) {
    const frameOf = ({ offsetX }) => frameUnder(offsetX, { ...this.axis.view, width: sizeOf(this.canvas).width });
    const start = frameOf(down);
    let dragged = false;
    const move = (event) => {
      dragged ||= Math.abs(event.clientX - down.clientX) > DRAG_FROM_PX;
      if (!dragged) return;
      const [from, to] = [start, frameOf(event)].sort((a, b) => a - b);
      transport.select([Math.max(0, from), Math.min(this.axis.frames, to + 1)]);
    };
    const end = () => {
      if (dragged) return;
      transport.select(null);
      transport.seek(start);
    };
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  /** Draw: what the hand goes over becomes the curve. */
  #pressDraw(down) {
    const [plot, points] = [this.#plot, []];
    const move = (event) => {
      for (const at of event.getCoalescedEvents?.() ?? [event]) {
        const { frame, value } = under({ x: at.offsetX, y: at.offsetY }, plot);
        points.push([frame, value]);
      }
      this.#drag = { drawn: points };
      this.draw();
    };
    const end = () => {
      this.#drag = null;
      this.draw();
      if (points.length > 1) project.send("touch-ups/drawn", { target: this.target, points });
    };
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  #pressKeys(down) {
    const [start, plot] = [{ x: down.offsetX, y: down.offsetY }, this.#plot];
    const at = keyNear(start, this.keys, plot);
    const frame = at < 0 ? null : this.keys.frames[at];
    if (frame !== null && !this.chosen.has(frame)) this.chosen = new Set(down.shiftKey ? [...this.chosen, frame] : [frame]);
    else if (frame === null && !down.shiftKey) this.chosen = new Set();
    this.#sayMode();
    this.draw();
    const from = under(start, plot);
    const move = (event) => {
      const point = { x: event.offsetX, y: event.offsetY };
      if (!this.#drag && Math.hypot(point.x - start.x, point.y - start.y) <= DRAG_FROM_PX) return;
      const now = under(point, plot);
      this.#drag = frame === null ? { rectangle: [start, point] } : { by: { by_frames: Math.round(now.frame - from.frame), by_value: event.altKey ? 0 : now.value - from.value } };
      this.draw();
    };
    const end = () => this.#letGo(plot);
    follow(down, this.canvas, { move, end, signal: this.signal });
  }

  #letGo(plot) {
    const drag = this.#drag;
    this.#drag = null;
    if (drag?.rectangle) {
      for (const i of keysWithin(...drag.rectangle, this.keys, plot)) this.chosen.add(this.keys.frames[i]);
      this.#sayMode();
      this.draw();
    } else if (drag?.by) this.#edit(drag.by);
  }

  #add(event) {
    if (!this.curve || this.#mode !== "keys" || this.curve.dense.length > 1) return;
    const { frame, value } = under({ x: event.offsetX, y: event.offsetY }, this.#plot);
    const at = Math.min(this.axis.frames - 1, Math.max(0, Math.round(frame)));
    this.#send([], { add: [[at, value]] });
    this.chosen = new Set([at]);
    this.#sayMode();
    this.draw();
  }

  /** Edit the chosen keys; they stay chosen where they go. */
  #edit(change) {
    const frames = this.#there;
    if (!frames.length) return;
    this.#send(frames, change);
    this.chosen = new Set(change.remove ? [] : frames.map((frame) => frame + (change.by_frames ?? 0)));
    this.#sayMode();
    this.draw();
  }

  /** The keys are at once where the hand put them: what it does next goes from there. */
  async #send(frames, change) {
    const edited = editedKeys(this.keys, new Set(frames), change);
    Object.assign(this.curve, { frames: edited.frames, keys: [edited.values] });
    const sent = this.#sent;
    sent.ever += 1;
    sent.underWay += 1;
    await project.send("touch-ups/keys", { target: this.target, frames, ...change });
    sent.underWay -= 1;
  }

  /** Alt and arrows go from key to key, Shift and arrows move the chosen ones, Delete takes them out, Escape lets go. */
  #key(event) {
    if (this.#mode !== "keys" || !this.curve || this.curve.dense.length > 1) return;
    const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key] ?? [0, 0];
    const range = rangeOf(this.curve.dense);
    if (event.altKey && x) this.#next(x);
    else if (event.shiftKey && (x || y)) this.#edit({ by_frames: x, by_value: (y * (range.high - range.low)) / 100 });
    else if (event.key === "Delete" || event.key === "Backspace") this.#edit({ remove: true });
    else if (event.key === "Escape") this.chosen = new Set();
    else return;
    event.preventDefault();
    this.#sayMode();
    this.draw();
  }

  #next(direction) {
    const { frames } = this.curve;
    const at = this.chosen.size ? frames.indexOf(Math.min(...this.chosen)) + direction : frames.findIndex((frame) => frame >= transport.frame);
    const frame = frames[Math.min(frames.length - 1, Math.max(0, at))];
    this.chosen = new Set([frame]);
    transport.seek(Math.round(frame));
  }

  #touch(kind) {
    const [first, end] = transport.selection;
    project.send("touch-ups", { target: this.target, kind, first, end, tied_to: this.find("#tied-to").value });
    if (kind === "keys") this.#hand("keys");
  }

  #toStretch(id) {
    if (!transport.selection) return;
    const [first, end] = transport.selection;
    project.send(`touch-ups/${id}/stretch`, { first, end });
  }

  #askBefore = newest((id) => telling(() => getPack(project.url(`touch-ups/${id}/compare`))));

  /** Show what lay under a touch-up before, dashed, beside what lies there now. */
  async #compare(id) {
    const pack = await this.#askBefore(id);
    if (!pack || !this.curve) return;
    const { first, end, before } = pack.head;
    const numbers = pack.arrays[before];
    this.curve.ghost = { first, end, rows: listed(numbers) };
    const room = Math.max(12, Math.round((end - first) / 2));
    this.axis.set({ from: Math.max(0, first - room), to: Math.min(this.axis.frames, end + room) });
    this.draw();
  }
}
