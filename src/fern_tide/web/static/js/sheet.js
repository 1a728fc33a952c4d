// The sheet of the selected mapping: its plot with the marks and the bends of the curve, and what it counts.

import { focused } from "./dom.js";
import { mountBenders, placeBenders } from "./benders.js";
import { MOVES, say } from "./canvas.js";
import { Component } from "./component.js";
import { follow } from "./drag.js";
import { notch } from "./number_field.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { drawDot, drawSheet, levelAtShare, placeMarks } from "./sheet_plot.js";
import { transport } from "./transport.js";

const LEAST_LEVEL = { low: 0, high: 1e-5 }; // in level there is nothing below none
const MOST_LEVEL = 16;
const DB = { least: -120, most: 24 };
const KEY_STEP_SHARE = 0.005;
const WAYS = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };

/** What a mark is set to where the hand put it, however far outside the lane that is. Pure. */
export function markValue(mark, level, scale) {
  if (scale === "db") return `${Math.min(DB.most, Math.max(DB.least, level)).toFixed(3)}dB`;
  return Number(Math.min(MOST_LEVEL, Math.max(LEAST_LEVEL[mark], level)).toPrecision(7));
}

export class Sheet extends Component {
  #bent = null;
  #scope = null;
  #focused = undefined;

  /** @param {any} room @param {AbortSignal} signal @param {{ motion: any }} how */
  constructor(room, signal, { motion }) {
    super(room, signal);
    this.motion = motion;
    this.on(room, "htmx:beforeSwap", () => (this.#focused = focused()?.dataset.bender));
  }

  get lane() {
    return this.motion.lanes[selection.get("mapping")];
  }

  get #drive() {
    return selection.get("drive");
  }

  get #transfer() {
    const { transfers } = this.lane;
    return transfers[Math.min(this.#drive, transfers.length - 1)];
  }

  /** The response that is shown, as it is being bent or as it is stored. */
  get #response() {
    if (this.#bent) return this.#bent;
    const mapping = JSON.parse(this.find("[data-mapping-json]")?.textContent ?? "null");
    return mapping?.drives[Math.min(this.#drive, mapping.drives.length - 1)].response;
  }

  /** The bender that had the focus before the page was drawn anew has it again: it is put in place with the curve. */
  refocus() {
    if (this.#focused !== undefined) this.find(`[data-bender="${this.#focused}"]`)?.focus();
  }

  mount(scope) {
    const plot = this.find("#plot");
    if (!plot) return;
    this.#scope = scope;
    for (const handle of plot.querySelectorAll("[data-mark]")) this.#mountMark(handle, plot);
    mountBenders(plot, { lane: () => this.lane, response: () => this.#response, onBend: (...bend) => this.#onBend(...bend), signal: scope });
  }

  /** Let a mark be dragged and stepped. */
  #mountMark(handle, plot) {
    const { mark } = handle.dataset;
    const on = (type, run) => handle.addEventListener(type, (event) => this.lane && run(event), { signal: this.#scope });
    const tell = (level, how) => this.markMoved(selection.get("mapping"), mark, level, how);
    on("pointerdown", (down) => {
      const move = (event) => {
        const { left, width } = plot.getBoundingClientRect();
        tell(levelAtShare((event.clientX - left) / width, this.lane.axis), { done: event.type !== MOVES, at: event.timeStamp });
      };
      follow(down, handle, { move, end: move, moves: MOVES, signal: this.#scope });
    });
    on("keydown", (event) => {
      const way = WAYS[event.key];
      if (!way) return;
      event.preventDefault();
      event.stopPropagation();
      const [low, high] = this.lane.axis;
      const level = this.lane[mark] + way * notch((high - low) * KEY_STEP_SHARE, event);
      tell(Math.min(high, Math.max(low, level)), { done: false });
    });
    on("keyup", (event) => event.key.startsWith("Arrow") && tell(this.lane[mark], { done: true }));
  }

  /** A mark of a lane moves: its handle follows at once; what it pushes, lane and curve as soon as they are computed. */
  markMoved(id, mark, level, { done, at }) {
    const lane = this.motion.lanes[id];
    lane[mark] = level;
    if (id === selection.get("mapping") && this.find("#plot")) placeMarks(this.find("#plot"), lane);
    this.#do({ kind: "set_field", owner: "mapping", id, path: `marks.${mark}`, value: markValue(mark, level, lane.scale) }, { done, at });
  }

  #onBend(response, { done, at }) {
    this.#bent = done ? null : response;
    if (this.lane) placeBenders(this.find("#plot"), this.lane, response);
    this.#do({ kind: "set_field", owner: "mapping", id: selection.get("mapping"), path: `drives.${this.#drive}.response`, value: response }, { done, at });
  }

  #do(command, { done, at }) {
    if (done) project.edit(command);
    else this.motion.preview(command, at);
  }

  draw() {
    const { lane } = this;
    const histogram = this.find("#histogram");
    if (!lane || !histogram) return;
    drawSheet(histogram, lane, this.#transfer);
    placeMarks(this.find("#plot"), lane);
    if (this.#response) placeBenders(this.find("#plot"), lane, this.#response);
    for (const name of ["low", "high"]) this.#fillMark(this.find(`#${name}-db`), lane[`${name}_shown`]);
    say(this.find("#hits"), String(lane.hits));
    say(this.find("#hits-words"), `rises in ${lane.seconds.toFixed(lane.seconds < 10 ? 1 : 0)} s;`);
    const [rest, full] = [Math.round(lane.at_rest * 100), Math.round(lane.at_full * 100)];
    say(this.find("#share-words"), `at rest ${rest} %, at full ${full} %`);
    this.drawDot();
  }

  /** Write a mark into its field, but not over what is being typed there. */
  #fillMark(field, shown) {
    const typing = focused() === field && field.value !== (field.dataset.before ?? ""); // a field drawn anew is empty
    if (!typing) field.dataset.before = field.value = shown.toFixed(1);
  }

  drawDot() {
    const dot = this.find("#dot");
    if (dot && this.lane) drawDot(dot, this.lane, this.#transfer, this.lane.level[transport.frame]);
  }
}
