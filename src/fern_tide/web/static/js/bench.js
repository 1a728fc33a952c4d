// The Bench: stage, sheet and lanes over one time axis. Python computes; this room asks, draws, and follows the hand.

import { Axis, xOf } from "./axis.js";
import { Beside } from "./beside.js";
import { Bound } from "./bound.js";
import { Component } from "./component.js";
import { FirstCut } from "./first_cut.js";
import { byId } from "./dom.js";
import { Drawer } from "./drawer.js";
import { drawColours, drawLane, mountLane } from "./lane.js";
import { Lanes } from "./lanes.js";
import { Motion } from "./motion.js";
import { Order } from "./order.js";
import { Parts } from "./parts.js";
import { Picker } from "./picker.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, mountWheel, RibbonWave } from "./ribbon.js";
import { mountRibbon } from "./ribbon_hand.js";
import { asQuery, selection } from "./selection.js";
import { Sheet } from "./sheet.js";
import { Spotlight } from "./spotlight.js";
import { StagePick } from "./stage_pick.js";
import { StageView } from "./stage_view.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

export class Bench extends Component {
  #wave = new RibbonWave();
  #traces = false;
  #keeping = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const stage = this.find("#stage");
    this.axis = new Axis(project.status.frames);
    this.stage = new StageView(stage, { prefix: "stage-", signal: this.signal });
    this.motion = this.#motion();
    this.beside = new Beside(stage, { motion: this.motion, signal: this.signal });
    this.sheet = new Sheet(room, this.signal, { motion: this.motion });
    this.lanes = new Lanes(room, this.signal, {
      axis: this.axis,
      curves: () => this.motion.curves,
      redraw: () => this.#redraw(),
      onScroll: () => requestAnimationFrame(() => !this.signal.aborted && this.#drawScrolled()),
      onSolo: () => this.load(),
      onGroup: () => this.renew(),
    });
    this.parts = new Parts(this.find("#parts"), this.signal, { looked: () => this.#looked(), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.drawer = new Drawer(this.find("#drawer"), this.signal, { parts: this.parts.root, peek: (body) => this.motion.peek(body) });
    this.picker = new Picker(byId("picker"), this.signal, { peek: (body) => this.motion.peek(body) });
    this.spotlight = new Spotlight(stage, this.signal, { stage: this.stage });
    new StagePick(stage, this.signal, { stage: this.stage, onPick: (part, at) => this.#pickOnStage(part, at) });
    new Order(this.parts.root, this.signal);
    new Bound(this.parts.root, this.signal, { onTry: (command, _, { timeStamp }) => this.motion.preview(command, timeStamp) });
    this.#listen();
    this.#open();
  }

  get #chosen() {
    return selection.get("mapping");
  }

  #looked() {
    return { ...asQuery(["mapping", "drive", "cut"]), group: this.lanes.group };
  }

  #motion() {
    return new Motion({
      looked: () => ({ ...(this.lanes.solo ? { only: this.lanes.solo } : {}), ...(this.#traces && this.#chosen ? { traces: this.#chosen } : {}) }),
      onTake: ({ frames }) => {
        this.axis.resize(frames);
        this.stage.bind(this.motion);
        this.stage.show(transport.frame);
      },
      onPreview: (ids) => {
        this.#drawLanes(ids);
        this.sheet.draw();
        this.#drawFrame();
      },
      onRestore: () => {
        this.stage.bind(this.motion);
        this.#drawAll();
      },
      signal: this.signal,
    });
  }

  #listen() {
    const { root } = this.parts;
    this.on(root, "click", ({ target }) => this.#looking(target.closest("button")));
    this.on(root, "change", ({ target }) => this.#switched(target));
    this.on(this.axis, "view", () => this.#redraw());
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#drawRibbon());
    this.on(rhythm, "rhythm", () => this.#drawRibbon());
    this.on(project, "revised", () => this.#revised());
    this.on(project, "baked", () => this.renew()); // which lanes are stale
    this.on(project, "refused", () => this.renew().then(() => this.load()));
    this.on(work, "done", () => this.load());
    selection.watch(["mapping", "drive", "cut"], () => this.#choose(), this.signal);
    this.onResize(() => this.#redraw());
    document.fonts.ready.then(() => this.#redraw());
  }

  /** Draw what came with the page; where another mapping is selected than the page shows, that. */
  #open() {
    const { mapping, drive } = selection.all;
    this.parts.mount();
    this.cut = new FirstCut(this.parts.root, this.signal, {
      only: (id) => this.lanes.solo !== id && this.lanes.only(id ?? this.lanes.solo),
      light: (parts) => this.spotlight.show(parts),
    });
    const other = mapping !== this.#chosen || (mapping && drive !== selection.get("drive"));
    if (other && this.find(`.lane[data-mapping="${mapping}"]`)) selection.set({ mapping, drive });
    this.load();
  }

  /** Wake what the server drew: what it shows as selected is what is selected. */
  #mount(scope) {
    selection.correct({ mapping: this.find('.lane[aria-current="true"]')?.dataset.mapping ?? null, drive: Number(this.find("#drive")?.value ?? 0) });
    for (const canvas of this.all("canvas[data-lane]")) this.#mountLane(canvas, scope);
    this.sheet.mount(scope);
    this.#mountBeside();
    this.lanes.mount(scope);
    const ribbon = this.find("#ribbon");
    if (ribbon) mountRibbon(ribbon, { axis: this.axis, signal: scope });
    mountWheel(this.find("#lanes"), { axis: this.axis, plot: () => this.find("#ribbon"), signal: scope });
    if (this.find("#show-traces")) this.find("#show-traces").checked = this.#traces;
  }

  #mountLane(canvas, signal) {
    const id = canvas.dataset.lane;
    const idle = () => !this.lanes.measuring;
    mountLane(canvas, { lane: () => this.motion.lanes[id], onMark: (...mark) => this.sheet.markMoved(id, ...mark), idle, signal });
    canvas.addEventListener("click", () => idle() && selection.set({ mapping: id, drive: 0, cut: "no" }), { signal }); // after a drag, not during it
  }

  #mountBeside() {
    const list = this.find("#beside");
    const other = list?.options[list.options.length - 1].value;
    if (this.#keeping === this.#chosen && other) this.beside.open(this.#chosen, other);
    if (this.#keeping !== this.#chosen || other) this.#keeping = null;
    if (list) list.value = this.beside.mapping === this.#chosen ? (this.beside.name ?? "") : "";
    if (this.beside.name && (this.beside.mapping !== this.#chosen || !list?.value)) this.beside.close();
  }

  /** Show sheet and lane heads anew, as the server draws them, then the plots. */
  renew() {
    return this.parts.renew();
  }

  #drawn() {
    this.drawer.renew();
    this.#drawAll();
    this.sheet.refocus();
  }

  /** Load lanes and curves, all or what an edit changed, and draw. */
  async load(how) {
    await this.motion.load(how);
    if (Object.keys(this.motion.lanes).length < this.all("canvas[data-lane]").length) work.look();
    await this.#wave.load(this.find("#ribbon")?.dataset.track);
    if (this.signal.aborted) return;
    this.#drawAll();
    this.beside.renew();
    if (this.find("#reason[data-waits]") && this.sheet.lane) await this.renew(); // the sheet was drawn before its sound was read
  }

  async #choose() {
    await this.renew();
    if (this.#traces) await this.load();
    this.find('.lane[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }

  async #revised() {
    if (project.status.looks !== this.stage.looks) this.beside.close();
    await this.stage.follow(project.status);
    await this.renew();
    await this.load({ changed: true });
  }

  /** What is looked at otherwise, without an edit. */
  #looking(button) {
    const { act, mapping } = button?.dataset ?? {};
    if (act === "keep-version") this.#keeping = this.#chosen; // seen beside what it becomes, as soon as they differ
    if (act === "solo") this.lanes.only(mapping);
    else if (act === "fold") this.lanes.fold([mapping]);
    else if (act === "fold-group") this.lanes.foldGroup(button);
  }

  #switched({ id, checked, value }) {
    if (id === "beside") this.beside.open(this.#chosen, value);
    if (id !== "show-traces") return;
    this.#traces = checked;
    this.load();
  }

  /** The properties of a part that was clicked, to be driven by a new mapping. */
  #pickOnStage(part, at) {
    const opener = this.find("#add-target") ?? this.find("#first-target");
    if (opener) this.picker.open(opener, { at, part });
  }

  /** Show the next version of the mapping, as a key does. */
  nextVersion() {
    const letters = this.all("[data-version]");
    const at = letters.findIndex((letter) => letter.getAttribute("aria-pressed") === "true");
    letters[(at + 1) % letters.length]?.click();
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  #redraw() {
    requestAnimationFrame(() => !this.signal.aborted && this.#drawAll());
  }

  #drawAll() {
    this.lanes.look();
    this.#drawRibbon();
    this.#drawLanes();
    this.sheet.draw();
    this.#drawFrame();
  }

  /** Other lanes are seen: those that were seen before are as they were. */
  #drawScrolled() {
    const before = new Set(this.lanes.inView);
    this.lanes.look();
    this.#drawLanes(this.lanes.inView.filter((canvas) => !before.has(canvas)).map(({ dataset }) => dataset.lane));
    this.lanes.showValues(transport.frame);
  }

  #drawRibbon() {
    const ribbon = this.find("#ribbon");
    if (ribbon) drawRibbon(ribbon, { wave: this.#wave.wave, axis: this.axis });
  }

  #drawLanes(only = null) {
    const { lanes, curves } = this.motion;
    for (const canvas of this.lanes.inView) {
      const id = canvas.dataset.lane;
      if (!lanes[id] || (only && !only.includes(id))) continue;
      drawLane(canvas, lanes[id], this.axis.view);
      canvas.parentElement.dataset.both = String(lanes[id].span.low < 0);
      const curve = curves[canvas.parentElement.querySelector("[data-now]").dataset.now];
      if (curve?.kind === "colour") drawColours(canvas, curve.values, this.axis.view);
    }
    this.lanes.drawSpan();
  }

  #drawFrame() {
    const { frame } = transport;
    this.stage.show(frame);
    this.beside.show(frame);
    this.spotlight.draw();
    if (transport.playing && this.lanes.following) this.axis.follow(frame);
    this.lanes.showValues(frame);
    this.#drawPlayhead(this.find("#playhead"), this.find("#ribbon"));
    this.sheet.drawDot();
  }

  #drawPlayhead(head, ribbon) {
    if (!head || !ribbon) return;
    const { left, width } = ribbon.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
    head.hidden = x < 0 || x > width || !project.status.frames;
    head.style.transform = `translateX(${left - head.parentElement.getBoundingClientRect().left - 1 + x}px)`;
  }
}
