// The Stage: the scene to look at and pick from, the tree of its parts, and every property of the selected one.

import { Axis, xOf } from "./axis.js";
import { mappingJson, mountBindings, partJson, put } from "./binding.js";
import { say } from "./canvas.js";
import { letGo } from "./hand.js";
import { notice, replaceHtml, telling } from "./notices.js";
import { project } from "./project.js";
import { drawRibbon, loadWave, mountRibbon, mountWheel } from "./ribbon.js";
import { mountBenchLinks } from "./rooms.js";
import { getPack, getText, latest, postPack } from "./server.js";
import { mountFiles } from "./stage_files.js";
import { mountLooking } from "./stage_looking.js";
import { mountProperties } from "./stage_properties.js";
import { colourAt } from "./stage.js";
import { StageView } from "./stage_view.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

const FIND_MS = 180;

/** A number as the tree shows it: three digits that count. Pure. */
export const shortNumber = (value) => (Math.abs(value) >= 100 ? value.toFixed(0) : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2));

export function mountStageRoom(room, signal) {
  const parts = room.querySelector("#parts");
  const find = (selector) => parts.querySelector(selector);
  const stored = () => JSON.parse(sessionStorage.getItem(`ft:${project.key}:stage`) ?? "{}");
  const keep = (more) => sessionStorage.setItem(`ft:${project.key}:stage`, JSON.stringify({ ...stored(), ...more }));
  const state = { curves: {}, parts: {}, wave: null, part: null, open: [], find: "", property: "", ...stored() };
  const axis = new Axis(project.standing.frames);
  const stage = new StageView(room.querySelector("#stage"), { prefix: "stage-", signal });
  let inner = null;
  let asked = 0;

  const head = () => JSON.parse(find("#part-head")?.textContent ?? "null");
  const context = { room, parts, find, state, stage, signal, head, select, refresh, drawRunning, choose: chooseProperty };
  const looking = mountLooking(context);
  const properties = mountProperties(context);
  mountFiles(context);
  mountBenchLinks(parts, { signal });

  function take({ head: about, arrays }, { whole }) {
    if (whole) Object.assign(state, { curves: {}, parts: {} });
    for (const [target, found] of Object.entries(about.curves)) state.curves[target] = { kind: found.kind, values: arrays[found.values] };
    Object.assign(state.parts, about.parts);
    axis.resize(about.frames);
    stage.bind(state);
    stage.show(transport.frame);
    drawRunning();
    looking.outline();
  }

  /** Write the values of this frame beside what is driven. */
  function drawRunning() {
    for (const output of parts.querySelectorAll("[data-running]")) {
      const curve = state.curves[output.dataset.running];
      if (!curve) continue;
      const text = curve.kind === "colour" ? colourAt(curve.values, transport.frame) : shortNumber(curve.values[transport.frame] ?? 0);
      say(output, `${text}${output.dataset.unit === "°" ? "°" : ""}`);
    }
    for (const knob of parts.querySelectorAll("input[data-try]")) {
      const curve = state.curves[knob.dataset.try];
      if (!curve || curve.kind === "colour" || "held" in knob.dataset) continue;
      const { from, to } = knob.dataset;
      knob.value = String(Math.round(((curve.values[transport.frame] - from) / (to - from || 1)) * 1000));
    }
  }

  function drawFrame() {
    stage.show(transport.frame);
    if (transport.playing) axis.follow(transport.frame);
    drawRunning();
    looking.outline();
    drawPlayhead();
  }

  function drawPlayhead() {
    const canvas = find("#ribbon");
    const line = find("#playhead");
    if (!canvas || !line) return;
    const { width } = canvas.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...axis.view, width });
    line.hidden = x < 0 || x > width || !project.standing.frames;
    line.style.transform = `translateX(${x}px)`;
  }

  function drawAll() {
    if (find("#ribbon")) drawRibbon(find("#ribbon"), { wave: state.wave, axis });
    drawFrame();
  }

  async function load() {
    const pack = await telling(() => getPack(project.url("curves")));
    if (!pack || signal.aborted) return;
    take(pack, { whole: true });
    await takeWave();
    if (!signal.aborted) drawAll();
  }

  async function takeWave() {
    try {
      state.wave = await loadWave(find("#ribbon")?.dataset.track, state.wave);
    } catch (wrong) {
      state.wave = null;
      if (wrong.status === 202) work.look();
      else notice(wrong.message);
    }
  }

  /** Show tree and properties anew, as the server draws them. */
  async function refresh() {
    const mine = ++asked;
    const query = new URLSearchParams({ part: state.part ?? "", open: state.open.join(), find: state.find, property: state.property });
    const html = await telling(() => getText(project.url(`stage/parts?${query}`)));
    await letGo();
    if (html === undefined || signal.aborted || mine !== asked) return; // one that was asked for later wins
    const scrolled = ["#tree", "#properties"].map((name) => find(name)?.scrollTop ?? 0);
    replaceHtml(parts, html);
    mountParts();
    properties.renew();
    ["#tree", "#properties"].forEach((name, place) => find(name) && (find(name).scrollTop = scrolled[place]));
    drawAll();
  }

  async function select(id, { look = false } = {}) {
    if (id !== state.part) state.property = "";
    state.part = id;
    keep({ part: id, property: state.property });
    await refresh();
    find(`.tree-row[data-part="${id}"]`)?.scrollIntoView({ block: "nearest" });
    if (look) stage.view?.framePart(id);
  }

  function chooseProperty(name) {
    state.property = state.property === name ? "" : name;
    keep({ property: state.property });
    return refresh();
  }

  function mountParts() {
    inner?.abort();
    inner = new AbortController();
    const scope = AbortSignal.any([signal, inner.signal]);
    state.part = find('.tree-row[aria-selected="true"]')?.dataset.part ?? partOf() ?? null;
    const ribbon = find("#ribbon");
    if (ribbon) {
      const line = Object.assign(document.createElement("div"), { className: "playhead", id: "playhead", hidden: true });
      line.setAttribute("aria-hidden", "true");
      ribbon.parentElement.append(line);
      mountRibbon(ribbon, { axis, signal: scope });
      mountWheel(ribbon, { axis, plot: () => ribbon, signal: scope });
    }
    if (state.part && head()) stage.view?.know(state.part, head());
    looking.mount();
  }

  const partOf = () => find("[data-part-json]")?.dataset.partJson;

  const preview = latest(async (command) => {
    const pack = await telling(() => postPack(project.url("preview"), { command }));
    if (pack && !signal.aborted) take(pack, { whole: false });
  });
  context.preview = preview;

  mountBindings(parts, {
    owners: () => ({ part: state.part }),
    onTry: (command) => command.kind !== "put_part" && preview(command),
    onSet: (command) => project.edit(command),
    signal,
  });

  let typing = 0;
  parts.addEventListener(
    "input",
    ({ target }) => {
      if (target.id !== "find-part") return;
      state.find = target.value;
      clearTimeout(typing);
      typing = setTimeout(refresh, FIND_MS);
    },
    { signal },
  );
  parts.addEventListener(
    "click",
    (event) => {
      const fold = event.target.closest("[data-fold]");
      const row = event.target.closest(".tree-row");
      if (fold) {
        const id = fold.dataset.fold;
        state.open = state.open.includes(id) ? state.open.filter((other) => other !== id) : [...state.open, id];
        keep({ open: state.open });
        refresh();
      } else if (row?.dataset.part) select(row.dataset.part);
    },
    { signal },
  );
  parts.addEventListener(
    "change",
    async ({ target }) => {
      if (target.dataset.move && target.value) {
        await project.send(`mappings/${target.dataset.move}/aim`, { target: target.value, place: Number(target.dataset.place) });
        select(target.value.split(":")[0]);
      }
      if (target.id === "add-part" && target.value) {
        const made = await project.send("stage/parts", { kind: target.value });
        target.value = "";
        if (made) select(made.part);
      }
      if (target.id === "new-stage" && target.value) await context.newStage(target.value);
    },
    { signal },
  );
  parts.addEventListener("keydown", (event) => event.target.closest("#tree") && walkTree(event), { signal });

  function walkTree(event) {
    const rows = [...parts.querySelectorAll(".tree-row[data-part]")];
    const at = rows.findIndex((row) => row.dataset.part === state.part);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
    const fold = { ArrowRight: "false", ArrowLeft: "true" }[event.key];
    if (to !== undefined && rows[to]) {
      event.preventDefault();
      event.stopPropagation();
      select(rows[to].dataset.part).then(() => find(`[data-select="${state.part}"]`)?.focus());
    } else if (fold && rows[at]?.getAttribute("aria-expanded") === fold) {
      event.preventDefault();
      event.stopPropagation();
      rows[at].querySelector("[data-fold]").click();
    } else if (event.key === "Delete") find("#remove-part")?.click();
  }

  const redraw = () => requestAnimationFrame(() => !signal.aborted && drawAll());
  axis.addEventListener("view", redraw, { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  transport.addEventListener("selection", redraw, { signal });
  project.addEventListener("revised", () => stage.follow(project.standing).then(refresh).then(load), { signal });
  project.addEventListener("refused", () => refresh().then(load), { signal });
  work.addEventListener("done", () => refresh().then(load), { signal });
  stage.onReady = () => {
    if (state.part && head()) stage.view.know(state.part, head());
    looking.outline();
  };
  new ResizeObserver(redraw).observe(room);
  document.fonts.ready.then(redraw);

  mountParts();
  if (stored().part || state.open.length) {
    state.part = stored().part ?? state.part;
    refresh().then(load);
  } else load();
  return { zoom: (by) => axis.zoomAt(transport.frame, by), put, mappingJson };
}
