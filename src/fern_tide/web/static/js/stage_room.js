// The Stage: the scene to look at and pick from, the tree of its parts, and every property of the selected one.

import { Axis, xOf } from "./axis.js";
import { Bound } from "./bound.js";
import { say } from "./canvas.js";
import { Component } from "./component.js";
import { byId } from "./dom.js";
import { notice, telling } from "./notices.js";
import { Parts } from "./parts.js";
import { Picker } from "./picker.js";
import { unpackedMotion } from "./pieces.js";
import { project } from "./project.js";
import { drawRibbon, mountWheel, RibbonWave } from "./ribbon.js";
import { mountRibbon } from "./ribbon_hand.js";
import { asQuery, openInRoom, selection } from "./selection.js";
import { getPack, latest, newest, postPack } from "./server.js";
import { colourAt } from "./placing.js";
import { Choosing } from "./stage_choose.js";
import { StageFiles } from "./stage_files.js";
import { Live } from "./live.js";
import { Looking } from "./stage_looking.js";
import { PiecesHand } from "./stage_pieces.js";
import { ReachHand } from "./stage_reach.js";
import { PartProperties } from "./stage_properties.js";
import { Tree } from "./stage_tree.js";
import { Suggestions } from "./stage_suggestions.js";
import { StageView } from "./stage_view.js";
import { Planes } from "./stage_planes.js";
import { WaysHand } from "./stage_ways.js";
import { transport } from "./transport.js";
import { TriedOrder } from "./tried_order.js";
import { work } from "./work.js";

const CHOSEN = ["parts", "order", "backwards", "takes", "late", "first_has", "last_has"];

/** A number as the tree shows it: three digits that count. Pure. */
export const shortNumber = (value) => (Math.abs(value) >= 100 ? value.toFixed(0) : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2));

export class StageRoom extends Component {
  #wave = new RibbonWave();
  #previewed = null;
  #bound = { curves: {}, parts: {}, arrays: {} };
  /** How the stage stands while it is moved live; null while it is not. @type {any} */
  #live = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.stage = new StageView(this.find("#stage"), { prefix: "stage-", signal: this.signal });
    const head = (this.head = () => JSON.parse(this.find("#part-head")?.textContent ?? "null"));
    this.choosing = new Choosing(room, this.signal, { stage: this.stage, isPlaying: () => transport.playing });
    this.triedOrder = new TriedOrder(root, this.signal, { onTry: (order) => this.choosing.tryOrder(order) });
    const pick = (part, event, rows) => this.choosing.pick(part, event, rows);
    this.looking = new Looking(room, this.signal, { stage: this.stage, onPick: pick, onOutline: () => this.#outline() });
    this.pieces = new PiecesHand(room, this.signal, { stage: this.stage, head });
    this.planes = new Planes(room, this.signal, { stage: this.stage });
    this.ways = new WaysHand(room, this.signal, { stage: this.stage, onTry: (command) => this.#preview(command) });
    const seen = (command) => (command ? this.#preview(command) : this.load());
    this.reach = new ReachHand(room, this.signal, { stage: this.stage, valueAt: (target) => this.#valueAt(target), onTry: seen });
    this.properties = new PartProperties(root, this.signal, { stage: this.stage, head, onUnseen: seen });
    new Suggestions(root, this.signal, { onTry: seen });
    this.tree = new Tree(root, this.signal, { renew: () => this.parts.renew(), looked: () => this.#looked(), pick });
    new StageFiles(room, this.signal, { stage: this.stage, isBare: () => !this.find(".tree-row") });
    this.parts = new Parts(root, this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.live = new Live(room, this.signal, { onStand: (standing) => this.#stand(standing) });
    new Picker(byId("picker"), this.signal);
    const more = (path) => (path.startsWith("stage/several/") ? this.choosing.asked : {});
    new Bound(root, this.signal, { onTry: (command, field) => this.#tried(command, field), onDone: ({ note }) => note && notice(note, { tone: "good" }), more });
    this.#listen(root);
    this.#open();
  }

  #looked() {
    return { ...asQuery(["part", "open", "property", "larger", ...CHOSEN]), find: this.tree.typed, ...this.tree.asked };
  }

  #listen(root) {
    this.on(root, "click", (event) => this.#toBench(event));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#redraw());
    this.on(project, "revised", () => (this.stage.shown = this.#revised()));
    this.on(project, "refused", () => this.#all());
    this.on(work, "done", () => this.#all());
    selection.watch(["part", "property", "open", "larger", ...CHOSEN], () => this.#choose(), this.signal);
    this.stage.onReady = () => this.#ready();
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
  }

  /** Draw what came with the page; where something else is selected than the page shows, that. */
  #open() {
    const { part, parts, open, property } = selection.all;
    this.parts.mount();
    if (part !== selection.get("part") || parts.length || open.length || property || selection.get("larger")) {
      selection.correct({ part, parts, open, property });
      this.#all();
    } else this.load();
  }

  #mount(scope) {
    selection.correct({ part: this.find("[data-part-json]")?.dataset.partJson ?? null });
    if (!this.find("#several-line")) selection.correct({ parts: [] });
    this.tree.mount();
    const ribbon = this.find("#ribbon");
    if (ribbon) {
      mountRibbon(ribbon, { axis: this.axis, signal: scope });
      mountWheel(ribbon, { axis: this.axis, plot: () => ribbon, signal: scope });
    }
    this.#ready();
    this.looking.mount();
    this.choosing.mount();
    this.triedOrder.mount();
    this.pieces.mount();
    this.ways.mount();
    this.planes.mount();
    this.reach.mount();
    this.live.mount();
  }

  #outline() {
    this.choosing.outline();
    this.pieces?.outline();
    this.ways?.outline();
    this.planes?.outline();
    this.reach?.outline();
  }

  /** The view knows the selected part, driven or not. */
  #ready() {
    const head = this.head();
    if (head?.space === this.stage.space) this.stage.view?.know(head);
    this.looking.outline();
  }

  #drawn() {
    this.properties.renew();
    this.#drawAll();
  }

  async #choose() {
    this.tree.willReveal();
    await this.parts.renew();
    this.tree.reveal();
  }

  async #all() {
    await this.parts.renew();
    await this.load();
  }

  /** What moves is asked for beside what it moves, where that looks as before; otherwise after it. */
  async #revised() {
    const same = project.status.looks === this.stage.looks;
    await Promise.all([this.stage.follow(project.status), same && this.load()]);
    await this.parts.renew();
    if (!same) await this.load();
    this.tree.reveal();
  }

  #toBench(event) {
    const link = event.target.closest("[data-bench]");
    if (!link) return;
    event.preventDefault();
    openInRoom("bench", { mapping: link.dataset.bench, drive: Number(link.dataset.drive ?? 0) });
  }

  /** A field is held: what it would do is seen; an own value at once, without asking. */
  #tried(command, field) {
    if (field.dataset.own) this.properties.tryOwn(field, command.value);
    else if (command.owner !== "part") this.#preview(command);
  }

  #preview(command) {
    this.#previewed = command;
    return this.#ask(command);
  }

  /** Nothing is seen of what is not tried any more when its answer comes. */
  #ask = latest(async (command) => {
    if (command !== this.#previewed) return;
    const pack = await telling(() => postPack(project.url("preview"), { command }));
    if (pack && command === this.#previewed && !this.signal.aborted) this.#take(pack, { whole: false });
  });

  /** What moves; and how the parts are whose values the hand had, also of others than the selected one. */
  #askCurves = newest(() => telling(() => getPack(project.url(`curves?parts=${this.stage.handled}`))));

  async load() {
    this.#previewed = null;
    const pack = await this.#askCurves();
    if (!pack || this.signal.aborted) return;
    this.#take(pack, { whole: true });
    if (this.#previewed) this.#ask(this.#previewed); // the hand is at something else by now
    await this.#wave.load(this.find("#ribbon")?.dataset.track);
    if (!this.signal.aborted) this.#drawAll();
  }

  #take({ head, arrays }, { whole }) {
    if (project.status.space !== this.stage.space) return; // the room is drawn anew, for a stage of another kind
    if (whole) this.#bound = { curves: {}, parts: {}, arrays: {} };
    for (const [target, { kind, values }] of Object.entries(head.curves)) this.#bound.curves[target] = { kind, values: arrays[values] };
    Object.assign(this.#bound.parts, head.parts);
    for (const [id, moved] of Object.entries(head.pieces)) this.#bound.arrays[id] = unpackedMotion(moved, arrays);
    this.axis.resize(head.frames);
    if (this.#live) return;
    this.stage.bind(this.#bound);
    this.stage.show(transport.frame);
    this.#drawRunning();
    this.looking.follow();
  }

  /** The stage is moved live; null is no more. */
  #stand(standing) {
    this.#live = standing;
    this.stage.hurry(standing !== null);
    if (!standing) return void this.load();
    this.stage.bind(standing);
    this.stage.show(standing.frame, standing.seconds);
    this.stage.drawNow();
    this.#drawRunning();
    this.looking.follow();
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (ribbon) drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis });
    this.#drawFrame();
  }

  #drawFrame() {
    if (!this.#live) this.stage.show(transport.frame);
    if (transport.playing) this.axis.follow(transport.frame);
    this.#drawRunning();
    this.looking.follow();
    this.#drawPlayhead(this.find("#playhead"), this.find("#ribbon"));
  }

  #drawPlayhead(line, ribbon) {
    if (!ribbon || !line) return;
    const { width } = ribbon.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    line.hidden = x < 0 || x > width || !project.status.frames;
    line.style.transform = `translateX(${x}px)`;
  }

  /** What a driven property is at this frame; undefined of what nothing drives. */
  #valueAt(target) {
    const { curves, frame } = this.#live ?? { ...this.#bound, frame: transport.frame };
    return curves[target]?.values[frame];
  }

  /** Write the values of this frame beside what is driven, and put its knobs there. */
  #drawRunning() {
    const { curves, frame } = this.#live ?? { ...this.#bound, frame: transport.frame };
    for (const output of this.all("[data-running]")) {
      const curve = curves[output.dataset.running];
      if (!curve) continue;
      const text = curve.kind === "colour" ? colourAt(curve.values, frame) : shortNumber(curve.values[frame] ?? 0);
      say(output, `${text}${output.dataset.unit === "°" ? "°" : ""}`);
    }
    for (const knob of this.all("input[data-try]")) {
      const curve = curves[knob.dataset.try];
      if (curve && curve.kind !== "colour" && !("held" in knob.dataset)) this.properties.putKnob(knob, curve.values[frame]);
    }
  }
}
