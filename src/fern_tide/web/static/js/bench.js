// The Bench: stage, sheet and lanes over one time axis. Python computes; this room asks, draws, and follows the hand.

import { Axis, xOf } from "./axis.js";
import { mountBenders, placeBenders } from "./benders.js";
import { Beside } from "./beside.js";
import { mappingJson, mountBindings, put, trackJson } from "./binding.js";
import { say } from "./canvas.js";
import { mountDrawer, twice } from "./drawer.js";
import { drawLane, mountLane } from "./lane.js";
import { Lanes } from "./lanes.js";
import { letGo } from "./hand.js";
import { notice, replaceHtml, telling } from "./notices.js";
import { project, withoutPath } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, loadWave, mountRibbon, mountWheel } from "./ribbon.js";
import { getPack, getText, latest, postPack } from "./server.js";
import { drawDot, drawSheet, mountMarks, placeMarks } from "./sheet.js";
import { StageView } from "./stage_view.js";
import { mountOrder, reordered } from "./step_order.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

export function mountBench(room, signal) {
  const parts = room.querySelector("#parts");
  const stage = new StageView(room.querySelector("#stage"), { prefix: "stage-", signal });
  const axis = new Axis(project.standing.frames);
  const kept = () => JSON.parse(sessionStorage.getItem(`ft:${project.key}:bench`) ?? "{}");
  const keep = (more) => sessionStorage.setItem(`ft:${project.key}:bench`, JSON.stringify({ ...kept(), ...more }));
  const state = { lanes: {}, curves: {}, parts: {}, wave: null, mapping: null, drive: 0, revision: null, previewed: new Set(), bent: null, traces: false };
  let inner = null;

  const find = (selector) => parts.querySelector(selector);
  const redraw = () => requestAnimationFrame(() => !signal.aborted && drawAll());
  const lanes = new Lanes({ find, axis, curves: () => state.curves, redraw, onSolo: () => load(), onGroup: () => refresh(), signal });
  const beside = new Beside(room.querySelector("#stage"), { state, signal });
  const lane = () => state.lanes[state.mapping];
  const transfer = () => lane()?.transfers[Math.min(state.drive, lane().transfers.length - 1)];

  /** Take a packed answer in: all of it, or what an edit changes. */
  function take({ head, arrays }, { whole }) {
    if (whole) Object.assign(state, { lanes: {}, curves: {}, parts: {} });
    const arraysOf = (names, from) => Object.fromEntries(names.map((name) => [name, arrays[from[name]]]));
    for (const [id, found] of Object.entries(head.lanes)) {
      const lane = { ...found, ...arraysOf(["level", "value", "histogram", "transfers", "sum", "traces"], found) };
      lane.level ??= state.lanes[id].level; // an edit that leaves the level alone does not send it again
      state.lanes[id] = lane;
    }
    if (head.all) {
      for (const id of Object.keys(state.lanes)) if (!head.all.lanes.includes(id)) delete state.lanes[id];
      const moves = new Set(head.all.curves);
      for (const target of Object.keys(state.curves)) if (!moves.has(target)) delete state.curves[target];
    }
    for (const [target, found] of Object.entries(head.curves)) state.curves[target] = { kind: found.kind, values: arrays[found.values] };
    Object.assign(state.parts, head.parts);
    axis.resize(head.frames);
    stage.bind(state);
    stage.show(transport.frame);
  }

  function drawLanes(only = null) {
    for (const canvas of lanes.inView) {
      const id = canvas.dataset.lane;
      if (state.lanes[id] && (!only || only.includes(id))) drawLane(canvas, state.lanes[id], axis.view);
    }
    lanes.drawSpan();
  }

  function drawChosen() {
    if (!lane() || !find("#histogram")) return;
    drawSheet(find("#histogram"), lane(), transfer());
    placeMarks(find("#plot"), lane());
    if (response()) placeBenders(find("#plot"), lane(), response()); // a mapping that was just made is not on the page yet
    for (const name of ["low", "high"]) {
      const field = find(`#${name}-db`);
      if (document.activeElement !== field) field.value = lane()[`${name}_db`].toFixed(1);
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

  /** An address for lanes and curves as they are looked at: one mapping alone, and with the traces of steps. */
  function looked(path, more = {}) {
    const query = new URLSearchParams(more);
    if (lanes.solo) query.set("only", lanes.solo);
    if (state.traces && state.mapping) query.set("traces", state.mapping);
    return project.url(query.size ? `${path}?${query}` : path);
  }

  let loads = 0;
  /** Take in all lanes and curves; after an edit only what it changed. */
  async function load({ since = null } = {}) {
    const mine = (loads += 1);
    const also = [...state.previewed];
    try {
      const pack = await getPack(looked("curves", since === null ? {} : { since, also }));
      if (mine !== loads) return; // a later one knows all that this does
      for (const id of also) state.previewed.delete(id);
      take(pack, { whole: since === null });
      state.revision = pack.head.revision;
    } catch (wrong) {
      notice(wrong.message);
    }
    if (Object.keys(state.lanes).length < parts.querySelectorAll("canvas[data-lane]").length) work.look();
    await takeWave();
    if (signal.aborted) return;
    drawAll();
    beside.renew();
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

  const ask = latest(async (body, { at, still = () => true } = {}) => {
    if (!still()) return;
    const pack = await telling(() => postPack(looked("preview"), body));
    if (!pack || signal.aborted || !still()) return;
    take(pack, { whole: false });
    for (const id of Object.keys(pack.head.lanes)) state.previewed.add(id);
    drawLanes(Object.keys(pack.head.lanes));
    drawChosen();
    drawFrame();
    if (at !== undefined) requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at })));
  });

  const preview = (command, at) => ask({ command }, { at });

  let before = null;
  /** Show what an edit would do without storing it, or with null again what is stored. */
  function peek(body) {
    if (body) {
      before ??= { lanes: { ...state.lanes }, curves: { ...state.curves } };
      ask(body, { still: () => before !== null });
    } else if (before) {
      Object.assign(state, before);
      before = null;
      stage.bind(state);
      drawAll();
    }
  }

  /** The response that is shown, as it is being bent or as it is stored. */
  const response = () => state.bent ?? mappingJson(state.mapping)?.drives[Math.min(state.drive, mappingJson(state.mapping).drives.length - 1)].response;

  /** A handle of the curve moves. */
  function onBend(response, { done, at }) {
    const command = put("mapping", withDrive({ response }));
    state.bent = done ? null : response;
    if (lane()) placeBenders(find("#plot"), lane(), response);
    if (done) project.edit(command);
    else preview(command, at);
  }

  /** The shown mapping with something else about the shown drive. */
  function withDrive(more) {
    const mapping = mappingJson(state.mapping);
    return { ...mapping, drives: mapping.drives.map((drive, place) => (place === state.drive ? { ...drive, ...more } : drive)) };
  }

  let pushing = false; // whether the other mark was pushed along since the hand took hold
  /** A mark moves: its handle follows at once, the lane and the curve as soon as they are computed. */
  function onMark(id, name, both, { done, at }) {
    const marked = state.lanes[id];
    const mapping = mappingJson(id);
    const text = (level) => (marked.scale === "db" ? `${level.toFixed(3)}dB` : Number(level.toPrecision(7)));
    pushing ||= Object.entries(both).some(([mark, level]) => mark !== name && level !== marked[mark]);
    const moved = Object.entries(both).filter(([mark]) => mark === name || pushing);
    Object.assign(marked, both);
    if (done) pushing = false;
    const command = put("mapping", { ...mapping, marks: { ...mapping.marks, ...Object.fromEntries(moved.map(([mark, level]) => [mark, text(level)])) } });
    if (id === state.mapping && find("#plot")) placeMarks(find("#plot"), marked);
    if (done) project.edit(command);
    else preview(command, at);
  }

  /** A mark typed in dB. */
  function onMarkField(field, db, done) {
    const mapping = mappingJson(state.mapping);
    const name = field.dataset.markDb;
    const [low, high] = [lane().low_db, lane().high_db];
    const along = name === "low" && db >= high ? { high: `${db + 0.5}dB` } : name === "high" && db <= low ? { low: `${db - 0.5}dB` } : {};
    const command = put("mapping", { ...mapping, marks: { ...mapping.marks, [name]: `${db}dB`, ...along } });
    if (done) project.edit(command);
    else preview(command);
  }

  async function choose(id, drive = 0) {
    Object.assign(state, { mapping: id, drive });
    keep({ mapping: id, drive });
    await (state.traces ? refresh().then(() => load()) : refresh());
    find('.lane[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }

  const acts = {
    mute: (id) => project.edit(put("mapping", { ...mappingJson(id), muted: !mappingJson(id).muted })),
    up: (id) => move(id, -1),
    down: (id) => move(id, 1),
    delete: (id) => project.edit({ kind: "remove_mapping", id }),
    suggest: () => project.send(`mappings/${state.mapping}/suggest`),
    "drop-drive": async () => {
      const dropped = withoutPath(mappingJson(state.mapping), `drives.${state.drive}`);
      state.drive = 0;
      await project.edit(put("mapping", dropped));
    },
    solo: (id) => lanes.only(id),
    fold: (id) => lanes.fold([id]),
    "fold-group": (_, button) => lanes.foldGroup(button),
    invert: () => project.send(`mappings/${state.mapping}/invert`, { place: state.drive }),
    twice: (_, { dataset }) => {
      const mapping = mappingJson(state.mapping);
      project.edit(put("mapping", { ...mapping, steps: twice(mapping.steps, Number(dataset.path.split(".").at(-1))) }));
    },
    "add-stop": () => {
      const { stops, rest } = mappingJson(state.mapping).drives[state.drive];
      const at = stops.length ? (stops.at(-1).at + 1) / 2 : 0.5;
      project.edit(put("mapping", withDrive({ stops: [...stops, { at, colour: stops.at(-1)?.colour ?? rest }] })));
    },
    "keep-version": () => project.edit({ kind: "keep_version", id: state.mapping }),
    "drop-versions": () => project.edit({ kind: "drop_version", id: state.mapping }),
  };

  const version = (name) => project.edit({ kind: "show_version", id: state.mapping, name });

  /** Show the next version of the mapping, as a key does. */
  function nextVersion() {
    const letters = [...parts.querySelectorAll("[data-version]")];
    const at = letters.findIndex((letter) => letter.getAttribute("aria-pressed") === "true");
    if (letters.length) version(letters[(at + 1) % letters.length].dataset.version);
  }

  function move(id, by) {
    const ids = [...parts.querySelectorAll(".lane[data-mapping]")].map((item) => item.dataset.mapping);
    const place = ids.indexOf(id) + by;
    if (place >= 0 && place < ids.length) project.edit({ kind: "move_mapping", id, place });
  }

  const picks = {
    envelope: (value) => project.send(`mappings/${state.mapping}/suggest`, { envelope: value }),
    row: (value) => project.send(`mappings/${state.mapping}/suggest`, { row: Number(value) }),
    aim: (value) => project.send(`mappings/${state.mapping}/aim`, { target: value, place: state.drive }),
    drive: (value) => choose(state.mapping, Number(value)),
    response: (value) => project.edit(put("mapping", withDrive({ response: { id: value } }))),
    "add-drive": async (value) => {
      const made = value === "next" ? await project.send(`mappings/${state.mapping}/drives`) : await project.send(`mappings/${state.mapping}/axes`, { place: state.drive, inverted: value === "inverted" });
      if (made?.place) await choose(state.mapping, made.place);
      else await refresh();
    },
    "first-target": async (value) => {
      if (!value) return;
      const envelope = state.mapping ? mappingJson(state.mapping).envelope : undefined;
      const made = await project.send("mappings", { target: value, envelope });
      if (made) await choose(made.mapping);
      else await refresh();
    },
  };

  function mountParts() {
    inner?.abort();
    inner = new AbortController();
    const scope = AbortSignal.any([signal, inner.signal]);
    state.mapping = find('.lane[aria-current="true"]')?.dataset.mapping ?? null;
    state.drive = Number(find("#drive")?.value ?? 0);
    for (const canvas of parts.querySelectorAll("canvas[data-lane]")) {
      const id = canvas.dataset.lane;
      mountLane(canvas, { lane: () => state.lanes[id], onMark: (...mark) => onMark(id, ...mark), idle: () => !lanes.measuring, signal: scope });
      canvas.addEventListener("click", () => id !== state.mapping && choose(id), { signal: scope }); // after a drag, not during it
    }
    if (find("#plot")) {
      mountMarks(find("#plot"), { lane, onMark: (...mark) => onMark(state.mapping, ...mark), signal: scope });
      mountBenders(find("#plot"), { lane, response, onBend, signal: scope });
      mountOrder(find(".steps"), { onOrder: (from, to) => project.edit(put("mapping", reordered(mappingJson(state.mapping), from, to))), signal: scope });
    }
    if (find("#show-traces")) find("#show-traces").checked = state.traces;
    if (find("#beside")) find("#beside").value = beside.mapping === state.mapping ? (beside.name ?? "") : "";
    if (beside.name && (beside.mapping !== state.mapping || !find("#beside")?.value)) beside.close();
    lanes.mount(scope);
    if (find("#ribbon")) mountRibbon(find("#ribbon"), { axis, signal: scope });
    mountWheel(find("#lanes"), { axis, plot: () => find("#ribbon"), signal: scope });
  }

  mountBindings(parts, { owners: () => ({ mapping: state.mapping, envelope: mappingJson(state.mapping)?.envelope }), onTry: (command) => preview(command), onSet: (command) => project.edit(command), signal });
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
  const drawer = mountDrawer(room.querySelector("#drawer"), { parts, chosen: () => ({ mapping: state.mapping, drive: state.drive }), peek, signal });
  axis.addEventListener("view", redraw, { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  const redrawRibbon = () => find("#ribbon") && drawRibbon(find("#ribbon"), { wave: state.wave, axis });
  transport.addEventListener("selection", redrawRibbon, { signal });
  rhythm.addEventListener("rhythm", redrawRibbon, { signal });
  project.addEventListener("revised", () => stage.follow(project.standing).then(refresh).then(() => load({ since: state.revision })), { signal });
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
