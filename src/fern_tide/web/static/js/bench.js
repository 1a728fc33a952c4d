// The Bench: stage, sheet and lanes over one time axis. Python computes; this room asks, draws, and follows the hand.

import { Axis, xOf } from "./axis.js";
import { mountBenders, placeBenders } from "./benders.js";
import { benchActs, withDrive } from "./bench_acts.js";
import { Beside } from "./beside.js";
import { mappingJson, mountBindings, put, trackJson } from "./binding.js";
import { say } from "./canvas.js";
import { mountDrawer } from "./drawer.js";
import { drawLane, mountLane } from "./lane.js";
import { Lanes } from "./lanes.js";
import { letGo } from "./hand.js";
import { Motion } from "./motion.js";
import { notice, replaceHtml, telling } from "./notices.js";
import { mountOrder } from "./order.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, loadWave, mountRibbon, mountWheel } from "./ribbon.js";
import { benchKey } from "./rooms.js";
import { getText } from "./server.js";
import { drawDot, drawSheet, mountMarks, placeMarks } from "./sheet.js";
import { StageView } from "./stage_view.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

export function mountBench(room, signal) {
  const parts = room.querySelector("#parts");
  const stage = new StageView(room.querySelector("#stage"), { prefix: "stage-", signal });
  const axis = new Axis(project.standing.frames);
  const kept = () => JSON.parse(sessionStorage.getItem(benchKey()) ?? "{}");
  const keep = (more) => sessionStorage.setItem(benchKey(), JSON.stringify({ ...kept(), ...more }));
  const state = { wave: null, mapping: null, drive: 0, bent: null, traces: false };
  let inner = null;

  const find = (selector) => parts.querySelector(selector);
  const redraw = () => requestAnimationFrame(() => !signal.aborted && drawAll());
  const motion = new Motion({
    looked: () => ({ ...(lanes.solo ? { only: lanes.solo } : {}), ...(state.traces && state.mapping ? { traces: state.mapping } : {}) }),
    onTake: ({ frames }) => {
      axis.resize(frames);
      stage.bind(motion);
      stage.show(transport.frame);
    },
    onPreview: (ids) => {
      drawLanes(ids);
      drawChosen();
      drawFrame();
    },
    onRestore: () => {
      stage.bind(motion);
      drawAll();
    },
    signal,
  });
  const lanes = new Lanes({ find, axis, curves: () => motion.curves, redraw, onSolo: () => load(), onGroup: () => refresh(), signal });
  const beside = new Beside(room.querySelector("#stage"), { motion, signal });
  const lane = () => motion.lanes[state.mapping];
  const transfer = () => lane()?.transfers[Math.min(state.drive, lane().transfers.length - 1)];

  function drawLanes(only = null) {
    for (const canvas of lanes.inView) {
      const id = canvas.dataset.lane;
      if (motion.lanes[id] && (!only || only.includes(id))) drawLane(canvas, motion.lanes[id], axis.view);
    }
    lanes.drawSpan();
  }

  function drawChosen() {
    if (!lane() || !find("#histogram")) return;
    drawSheet(find("#histogram"), lane(), transfer());
    placeMarks(find("#plot"), lane());
    if (response()) placeBenders(find("#plot"), lane(), response());
    for (const name of ["low", "high"]) {
      const field = find(`#${name}-db`);
      const typing = document.activeElement === field && field.value !== (field.dataset.before ?? ""); // a field drawn anew is empty
      if (!typing) field.dataset.before = field.value = lane()[`${name}_db`].toFixed(1);
    }
    say(find("#hits"), String(lane().hits));
    say(find("#hits-words"), `rises over low water in ${lane().seconds.toFixed(lane().seconds < 10 ? 1 : 0)} s`);
    const [rest, full] = [Math.round(lane().at_rest * 100), Math.round(lane().at_full * 100)];
    say(find("#share-words"), `at rest ${rest} %, between ${100 - rest - full} %, at full ${full} %`);
    drawDot(find("#dot"), lane(), transfer(), lane().level[transport.frame]);
  }

  function drawFrame() {
    stage.show(transport.frame);
    beside.show(transport.frame);
    if (transport.playing && lanes.following) axis.follow(transport.frame);
    lanes.showValues(transport.frame);
    const head = find("#playhead");
    const canvas = find("#ribbon");
    if (head && canvas) {
      const { left, width } = canvas.getBoundingClientRect();
      const x = xOf(transport.frame + 0.5, { ...axis.view, width });
      head.hidden = x < 0 || x > width || !project.standing.frames;
      head.style.transform = `translateX(${left - head.parentElement.getBoundingClientRect().left - 1 + x}px)`;
    }
    if (lane() && find("#dot")) drawDot(find("#dot"), lane(), transfer(), lane().level[transport.frame]);
  }

  function drawAll() {
    lanes.look();
    if (find("#ribbon")) drawRibbon(find("#ribbon"), { wave: state.wave, axis });
    drawLanes();
    drawChosen();
    drawFrame();
  }

  /** Load lanes and curves, all or what an edit changed, and draw. */
  async function load(how) {
    await motion.load(how);
    if (Object.keys(motion.lanes).length < parts.querySelectorAll("canvas[data-lane]").length) work.look();
    await takeWave();
    if (signal.aborted) return;
    drawAll();
    beside.renew();
    if (find("#reason[data-waits]") && lane()) await refresh(); // the sheet was drawn before its sound was read
  }

  async function takeWave() {
    try {
      state.wave = await loadWave(find("#ribbon")?.dataset.track, state.wave);
    } catch (wrong) {
      state.wave = null;
      if (wrong.status !== 202) notice(wrong.message);
    }
  }

  let asked = 0;
  /** Show sheet and lane heads anew, as the server draws them, then the plots. */
  async function refresh() {
    const query = new URLSearchParams({ mapping: state.mapping ?? "", drive: state.drive, group: lanes.group });
    const mine = (asked += 1);
    const html = await telling(() => getText(project.url(`bench/sheet?${query}`)));
    await letGo();
    if (html === undefined || signal.aborted || mine !== asked) return; // a later one knows better what is chosen
    const scrolled = find("#lanes-scroll")?.scrollTop ?? 0;
    const bender = document.activeElement?.dataset.bender; // it is put in place only when the curve is drawn
    replaceHtml(parts, html);
    mountParts();
    find("#lanes-scroll").scrollTop = scrolled;
    drawer.renew();
    drawAll();
    if (bender !== undefined) find(`[data-bender="${bender}"]`)?.focus();
  }

  /** The response that is shown, as it is being bent or as it is stored; none while one was just picked and its params are to come. */
  const response = () => {
    if (state.bent) return state.bent;
    const found = mappingJson(state.mapping)?.drives[Math.min(state.drive, mappingJson(state.mapping).drives.length - 1)].response;
    return found?.params && found;
  };

  /** A handle of the curve moves. */
  function onBend(response, { done, at }) {
    const command = put("mapping", withDrive(state, { response }));
    state.bent = done ? null : response;
    if (lane()) placeBenders(find("#plot"), lane(), response);
    if (done) project.edit(command);
    else motion.preview(command, at);
  }

  let pushing = false; // whether the other mark was pushed along since the hand took hold
  /** A mark moves: its handle follows at once, the lane and the curve as soon as they are computed. */
  function onMark(id, name, both, { done, at }) {
    const marked = motion.lanes[id];
    const mapping = mappingJson(id);
    const text = (level) => (marked.scale === "db" ? `${level.toFixed(3)}dB` : Number(level.toPrecision(7)));
    pushing ||= Object.entries(both).some(([mark, level]) => mark !== name && level !== marked[mark]);
    const moved = Object.entries(both).filter(([mark]) => mark === name || pushing);
    Object.assign(marked, both);
    if (done) pushing = false;
    const command = put("mapping", { ...mapping, marks: { ...mapping.marks, ...Object.fromEntries(moved.map(([mark, level]) => [mark, text(level)])) } });
    if (id === state.mapping && find("#plot")) placeMarks(find("#plot"), marked);
    if (done) project.edit(command);
    else motion.preview(command, at);
  }

  /** A mark typed in dB. */
  function onMarkField(field, db, done) {
    const mapping = mappingJson(state.mapping);
    const name = field.dataset.markDb;
    const [low, high] = [lane().low_db, lane().high_db];
    const along = name === "low" && db >= high ? { high: `${db + 0.5}dB` } : name === "high" && db <= low ? { low: `${db - 0.5}dB` } : {};
    const command = put("mapping", { ...mapping, marks: { ...mapping.marks, [name]: `${db}dB`, ...along } });
    if (done) project.edit(command);
    else motion.preview(command);
  }

  async function choose(id, drive = 0) {
    Object.assign(state, { mapping: id, drive });
    keep({ mapping: id, drive });
    await (state.traces ? refresh().then(() => load()) : refresh());
    find('.lane[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }

  const { acts, picks, version, nextVersion } = benchActs({ state, parts, lanes, choose, refresh: () => refresh() });

  function mountParts() {
    inner?.abort();
    inner = new AbortController();
    const scope = AbortSignal.any([signal, inner.signal]);
    state.mapping = find('.lane[aria-current="true"]')?.dataset.mapping ?? null;
    state.drive = Number(find("#drive")?.value ?? 0);
    for (const canvas of parts.querySelectorAll("canvas[data-lane]")) {
      const id = canvas.dataset.lane;
      mountLane(canvas, { lane: () => motion.lanes[id], onMark: (...mark) => onMark(id, ...mark), idle: () => !lanes.measuring, signal: scope });
      canvas.addEventListener("click", () => id !== state.mapping && !lanes.measuring && choose(id), { signal: scope }); // after a drag, not during it
    }
    if (find("#plot")) {
      mountMarks(find("#plot"), { lane, onMark: (...mark) => onMark(state.mapping, ...mark), signal: scope });
      mountBenders(find("#plot"), { lane, response, onBend, signal: scope });
    }
    if (find("#show-traces")) find("#show-traces").checked = state.traces;
    if (find("#beside")) find("#beside").value = beside.mapping === state.mapping ? (beside.name ?? "") : "";
    if (beside.name && (beside.mapping !== state.mapping || !find("#beside")?.value)) beside.close();
    lanes.mount(scope);
    if (find("#ribbon")) mountRibbon(find("#ribbon"), { axis, signal: scope });
    mountWheel(find("#lanes"), { axis, plot: () => find("#ribbon"), signal: scope });
  }

  mountOrder(parts, { signal });
  mountBindings(parts, { owners: () => ({ mapping: state.mapping, envelope: mappingJson(state.mapping)?.envelope }), onTry: (command) => motion.preview(command), onSet: (command) => project.edit(command), signal });
  parts.addEventListener("ft:try", (event) => event.target.dataset.markDb && onMarkField(event.target, event.detail, false), { signal });
  parts.addEventListener("ft:set", (event) => event.target.dataset.markDb && onMarkField(event.target, event.detail, true), { signal });
  parts.addEventListener(
    "click",
    (event) => {
      const button = event.target.closest("button");
      if (!button) return;
      if (button.dataset.select) choose(button.dataset.select);
      else if (button.dataset.switch) flip(button);
      else if (button.dataset.version) version(button.dataset.version);
      else acts[button.dataset.act]?.(button.dataset.mapping, button);
    },
    { signal },
  );
  parts.addEventListener(
    "change",
    ({ target }) => {
      if (target.id === "show-traces") {
        state.traces = target.checked;
        load();
      } else if (target.id === "beside") beside.open(state.mapping, target.value);
      else if (target.value || target.dataset.act !== "add-drive") picks[target.dataset.act]?.(target.value);
    },
    { signal },
  );
  const drawer = mountDrawer(room.querySelector("#drawer"), { parts, chosen: () => ({ mapping: state.mapping, drive: state.drive }), peek: (body) => motion.peek(body), signal });
  axis.addEventListener("view", redraw, { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  const redrawRibbon = () => find("#ribbon") && drawRibbon(find("#ribbon"), { wave: state.wave, axis });
  transport.addEventListener("selection", redrawRibbon, { signal });
  rhythm.addEventListener("rhythm", redrawRibbon, { signal });
  project.addEventListener("revised", () => project.standing.looks !== stage.looks && beside.close(), { signal });
  project.addEventListener("revised", () => stage.follow(project.standing).then(refresh).then(() => load({ changed: true })), { signal });
  project.addEventListener("refused", () => refresh().then(() => load()), { signal });
  work.addEventListener("done", () => load(), { signal });
  new ResizeObserver(redraw).observe(room);
  document.fonts.ready.then(redraw);

  const { mapping, drive } = kept();
  mountParts();
  if (mapping && (mapping !== state.mapping || drive) && mappingJson(mapping)) choose(mapping, drive).then(() => load());
  else load();
  return { zoom: (by) => axis.zoomAt(transport.frame, by), nextVersion };
}

/** Turn 'heard' or 'drives' of a track. */
export function flip(button) {
  const track = trackJson(button.dataset.track);
  const name = button.dataset.switch;
  return project.edit(put("track", { ...track, [name]: !track[name] }));
}
