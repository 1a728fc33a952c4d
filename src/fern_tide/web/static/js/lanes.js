// How the lanes of the Bench are looked at: folded, taller, only one that moves, in groups, measured. None of it is an edit.

import { frameUnder, xOf } from "./axis.js";
import { forgetSize, sizeOf } from "./canvas.js";
import { Component } from "./component.js";
import { follow } from "./drag.js";
import { colourAt } from "./placing.js";
import { project } from "./project.js";
import { transport } from "./transport.js";

const LEAST_PX = 40;
const MOST_PX = 480;
const HINT = "drag a dotted mark; drag the ruler to scrub, the waveform to select; the wheel zooms";

/** A value as a lane says it: three digits that count, with its unit; a colour as its text. Pure. */
export function valueWords(curve, frame, unit = "") {
  if (!curve) return "";
  if (curve.kind === "colour") return colourAt(curve.values, frame);
  const value = curve.values[frame];
  if (value === undefined) return "";
  const text = Math.abs(value) >= 100 ? value.toFixed(0) : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2);
  return `${text === "-0.00" ? "0.00" : text}${unit ? ` ${unit}` : ""}`;
}

/** How far apart two frames are, in words. Pure. */
export function apartWords(from, to, [top, bottom]) {
  const frames = to - from;
  return `${frames} frame${Math.abs(frames) === 1 ? "" : "s"}, ${Math.round((frames * bottom * 1000) / top)} ms`;
}

/** Whether a lane has every word that is looked for, and is of the kind, such as 'stale'. Pure. */
export function isSought({ words, is }, { sought, kind }) {
  const all = sought.toLowerCase().split(/\s+/).filter(Boolean);
  return all.every((word) => words.includes(word)) && (!kind || is.split(" ").includes(kind));
}

export class Lanes extends Component {
  /**
   * @param {any} room
   * @param {AbortSignal} signal
   * @param {{ axis: any, curves: () => any, redraw: () => any, onScroll: () => any, onSolo: () => any, onGroup: () => any }} how
   *   curves() gives what is drawn; onScroll hears that other lanes may be seen, onSolo of another mapping that moves alone
   */
  constructor(room, signal, { axis, curves, redraw, onScroll, onSolo, onGroup }) {
    super(room, signal);
    this.axis = axis;
    this.curves = curves;
    this.redraw = redraw;
    this.onScroll = onScroll;
    this.onSolo = onSolo;
    this.onGroup = onGroup;
    /** @type {any} */
    this.solo = null;
    this.following = true;
    this.measuring = false;
    this.inView = [];
    this.sought = "";
    this.kind = "";
    this.looks = JSON.parse(localStorage.getItem(this.#key) ?? "{}");
    this.group = this.looks[""]?.group ?? "";
  }

  get #key() {
    return `ft:${project.key}:lanes`;
  }

  #keep(id, more) {
    this.looks[id] = { ...this.looks[id], ...more };
    localStorage.setItem(this.#key, JSON.stringify(this.looks));
  }

  get #rows() {
    return this.all(".lane[data-mapping]");
  }

  /** Find the canvases that can be seen now: the others are drawn when they are scrolled to. Asking the page is slow. */
  look() {
    const scroll = this.find("#lanes-scroll");
    const [top, bottom] = scroll ? [scroll.scrollTop - 40, scroll.scrollTop + scroll.clientHeight + 40] : [0, 0];
    this.inView = this.#rows.filter((lane) => !lane.hidden && lane.offsetTop - scroll.offsetTop < bottom && lane.offsetTop - scroll.offsetTop + lane.offsetHeight > top).map((lane) => lane.querySelector("canvas[data-lane]"));
  }

  /** Dress the lanes as they are looked at, after the server drew them anew. */
  mount(scope) {
    for (const lane of this.#rows) this.#dress(lane);
    const on = (selector, type, run) => this.find(selector)?.addEventListener(type, run, { signal: scope });
    const press = (selector, is) => this.find(selector)?.setAttribute("aria-pressed", String(is));
    press("#follow", this.following);
    press("#measure", this.measuring);
    if (this.find("#group")) this.find("#group").value = this.group;
    on("#follow", "click", () => press("#follow", (this.following = !this.following)));
    on("#measure", "click", () => this.#measure((this.measuring = !this.measuring)));
    on("#fold-all", "click", () => this.fold(this.#rows.map((lane) => lane.dataset.mapping)));
    on("#group", "change", (event) => {
      this.group = event.target.value;
      this.#keep("", { group: this.group });
      this.onGroup();
    });
    if (this.find("#find-lane")) [this.find("#find-lane").value, this.find("#only-lanes").value] = [this.sought, this.kind];
    on("#find-lane", "input", (event) => this.#seek({ sought: event.target.value }));
    on("#only-lanes", "change", (event) => this.#seek({ kind: event.target.value }));
    on("#lanes-scroll", "scroll", this.onScroll);
    on("#lanes-scroll", "pointerdown", (down) => (down.target.dataset.grip ? this.#resize(down) : this.measuring && down.target.dataset.lane && this.#span(down)));
    on("#lanes-scroll", "dblclick", ({ target }) => {
      if (!target.dataset.grip) return;
      this.#keep(target.dataset.grip, { tall: null });
      this.#dress(target.closest(".lane"));
      this.redraw();
    });
    this.#sift();
  }

  #seek(what) {
    Object.assign(this, what);
    this.#sift();
    this.redraw();
  }

  /** Show only the lanes that are looked for. */
  #sift() {
    let group = null;
    for (const row of this.all(".lane-group, .lane[data-mapping]")) {
      if (row.matches(".lane-group")) (group = row).hidden = true;
      else row.hidden = !isSought(row.dataset, this);
      if (group && !row.hidden) group.hidden = false;
    }
    const any = this.#rows.some((lane) => !lane.hidden);
    this.say(any || !this.#rows.length ? null : "no lane is like that");
  }

  #dress(lane) {
    const { folded = false, tall = null } = this.looks[lane.dataset.mapping] ?? {};
    lane.dataset.folded = String(folded);
    lane.dataset.solo = String(this.solo === lane.dataset.mapping);
    lane.toggleAttribute("data-tall", tall !== null);
    lane.style.height = tall ? `${tall}px` : "";
    forgetSize(lane.querySelector("canvas[data-lane]"));
    lane.querySelector('[data-act="fold"]').setAttribute("aria-pressed", String(folded));
    lane.querySelector('[data-act="solo"]').setAttribute("aria-pressed", String(this.solo === lane.dataset.mapping));
    const all = this.find("#fold-all");
    if (all) all.textContent = this.#rows.length && this.#rows.every(({ dataset }) => dataset.folded === "true") ? "Unfold all" : "Fold all";
  }

  /** Fold lanes; where all of them are folded, unfold them. */
  fold(ids) {
    const folded = !ids.every((id) => this.looks[id]?.folded);
    for (const id of ids) this.#keep(id, { folded });
    for (const lane of this.#rows) this.#dress(lane);
    this.redraw();
  }

  foldGroup(button) {
    const ids = [];
    for (let at = button.closest(".lane-group").nextElementSibling; at?.matches(".lane"); at = at.nextElementSibling) ids.push(at.dataset.mapping);
    this.fold(ids);
  }

  /** Let one mapping move alone, or all again. */
  only(id) {
    this.solo = this.solo === id ? null : id;
    for (const lane of this.#rows) this.#dress(lane);
    this.say();
    this.onSolo();
  }

  /** What the foot says: what is measured, who moves alone, or how the lanes are handled. */
  say(words = null) {
    const place = this.find("#lane-words");
    if (!place) return;
    const name = this.solo && this.#rows.find(({ dataset }) => dataset.mapping === this.solo)?.querySelector("[data-select]").title;
    if (this.solo && !name) this.solo = null;
    const alone = name ? `only ${name} moves; press its eye again for all` : "";
    place.textContent = [words ?? (this.measuring ? "drag over a lane to measure" : name ? "" : HINT), alone].filter(Boolean).join("; ");
    place.classList.toggle("wrong", Boolean(name));
  }

  /** Say every lane's value at a frame. */
  showValues(frame) {
    for (const canvas of this.inView) {
      const place = canvas.parentElement.querySelector("[data-now]");
      const words = valueWords(this.curves()[place.dataset.now], frame);
      if (place.textContent === words) continue;
      place.textContent = words;
      place.parentElement.hidden = !words; // what does not move for now has no value
    }
  }

  #resize(down) {
    const lane = down.target.closest(".lane");
    const [from, tall] = [down.clientY, lane.offsetHeight];
    this.#hold(down, (event) => {
      const wanted = Math.min(MOST_PX, Math.max(LEAST_PX, tall + event.clientY - from));
      this.#keep(lane.dataset.mapping, { tall: wanted, folded: false });
      this.#dress(lane);
      this.redraw();
    });
  }

  #hold(down, move) {
    down.preventDefault();
    follow(down, down.target, { move, signal: this.signal });
  }

  #measure(is) {
    this.find("#measure").setAttribute("aria-pressed", String(is));
    this.find("#measured").hidden = true;
    this.span = null;
    this.say();
  }

  #span(down) {
    const frameOf = (event) => Math.min(this.axis.frames - 1, Math.max(0, frameUnder(event.offsetX, { ...this.axis.view, width: sizeOf(down.target).width })));
    const from = frameOf(down);
    const place = down.target.parentElement.querySelector("[data-now]");
    const measure = (event) => {
      this.span = [from, frameOf(event)];
      const [begin, end] = this.span;
      const curve = this.curves()[place.dataset.now];
      const at = (frame) => valueWords(curve, frame, place.dataset.unit);
      this.say(`${apartWords(begin, end, transport.rate)}: ${at(begin)} to ${at(end)}`);
      this.drawSpan();
    };
    measure(down);
    this.#hold(down, measure);
  }

  /** Put the measured span where the axis has it now. */
  drawSpan() {
    const band = this.find("#measured");
    const ribbon = this.find("#ribbon");
    if (!band || !ribbon) return;
    band.hidden = !this.span;
    if (!this.span) return;
    const { left, width } = ribbon.getBoundingClientRect();
    const [from, to] = [...this.span].sort((a, b) => a - b).map((frame) => Math.min(width, Math.max(0, xOf(frame + 0.5, { ...this.axis.view, width }))));
    band.style.left = `${left - band.parentElement.getBoundingClientRect().left - 1 + from}px`;
    band.style.width = `${Math.max(1, to - from)}px`;
  }
}
