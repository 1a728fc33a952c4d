// The Sound room: the shown track's waveform and spectrogram with the bands read from it, and the chosen envelope's trace.

import { Axis, xOf } from "./axis.js";
import { envelopeJson, mountBindings, put } from "./binding.js";
import { sizeOf } from "./canvas.js";
import { mountDrawer } from "./drawer.js";
import { letGo } from "./hand.js";
import { mountListening } from "./listening.js";
import { notice, replaceHtml, telling } from "./notices.js";
import { mountOrder } from "./order.js";
import { project, withPath } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, mountRibbon, mountWheel, waveOf } from "./ribbon.js";
import { mountBenchLinks, openOnBench } from "./rooms.js";
import { getPack, getText, latest, postPack } from "./server.js";
import { mountSoundtrack } from "./soundtrack.js";
import { drawBands, drawPitches, mountBands, Spectrogram } from "./spectrogram.js";
import { drawLevel, levelOf } from "./trace.js";
import { transport } from "./transport.js";
import { work } from "./work.js";


/** A command whose low and high edges are in order: the one that was changed pushes the other. Pure but for the field. */
export function pushed(command, field) {
  const { low_hz: low, high_hz: high } = command.envelope?.reading.params ?? {};
  if (low === undefined || low < high) return command;
  const [name, value] = field?.dataset.path?.endsWith("low_hz") ? ["high_hz", Math.min(96000, Math.ceil(low * 1.06 + 1))] : ["low_hz", Math.max(0, Math.floor(high / 1.06 - 1))];
  return withPath(command, `envelope.reading.params.${name}`, value);
}

const shownUrl = ({ envelope, track, from, to, columns, tilt }) =>
  project.url(`sound/shown?${new URLSearchParams({ envelope: envelope ?? "", track: track ?? "", from, to, columns, tilt })}`);

let ahead = null;

/** Begin to fetch what the room will draw while its page is still coming. */
export function openingSound() {
  ahead = getPack(shownUrl({ from: 0, to: 0, columns: Math.max(400, window.innerWidth - 540), tilt: 0 }));
  ahead.catch(() => {});
}

export function mountSound(room, signal) {
  const parts = room.querySelector("#parts");
  const axis = new Axis(project.standing.frames);
  const state = { envelope: null, track: null, level: null, wave: null, trying: null, picked: null, moved: 0, grid: 0, suggested: null, listening: null, before: null };
  const find = (selector) => parts.querySelector(selector);
  const spectra = new Spectrogram({ axis, onDrawn: () => soon() });
  let inner = null;
  let queued = false;

  /** The bands that are read from the shown track, as they are or as the hand holds them. */
  function bands() {
    const all = [...parts.querySelectorAll("[data-envelope-json]")].map((item) => JSON.parse(item.textContent));
    const shown = all.filter(({ track, reading }) => track === state.track && reading.id === "band" && reading.params); // of one just picked, the params are to come
    const found = shown.map(({ id, name, reading }) => ({ id, name, low: reading.params.low_hz, high: reading.params.high_hz }));
    if (!state.trying) return found;
    return [...found.filter(({ id }) => id !== state.trying.id), state.trying];
  }

  /** Draw on the next screen frame, once. */
  function soon() {
    if (queued) return;
    queued = true;
    requestAnimationFrame(() => {
      queued = false;
      if (!signal.aborted) drawAll();
    });
  }

  function drawFrame() {
    if (transport.playing) axis.follow(transport.frame);
    const [head, canvas] = [find("#playhead"), find("#ribbon")];
    if (head && canvas) {
      const { width } = sizeOf(canvas);
      const x = xOf(transport.frame + 0.5, { ...axis.view, width });
      head.hidden = x < 0 || x > width;
      head.style.transform = `translateX(${x}px)`;
      spectra.drawSpectrum(find("#spectrum"), { frame: transport.frame, bands: bands().filter(({ id }) => id === (state.trying?.id ?? state.envelope)) });
    }
    if (state.level && find("#trace")) drawLevel(find("#envelope-panel"), state.level, { view: axis.view, frame: transport.frame });
  }

  function drawAll() {
    if (find("#ribbon")) {
      drawRibbon(find("#ribbon"), { wave: state.wave, axis, hits: true, picked: state.picked, moved: state.moved, grid: state.grid });
      spectra.draw(find("#spectrogram"));
      drawBands(find("#bands"), { bands: bands(), chosen: state.trying ? state.trying.id : state.envelope });
      drawPitches(find("#pitches"));
    }
    drawFrame();
  }

  const take = (pack) => (state.level = levelOf(pack));

  const later = (wrong) => (wrong.status === 202 ? work.look() : notice(wrong.message));

  /** Load what is shown, all at once; what is still being analyzed comes when it is done. */
  async function load(coming = null) {
    if (axis.frames !== project.standing.frames) axis.resize(project.standing.frames);
    const width = find("#spectrogram") ? Math.ceil(sizeOf(find("#spectrogram")).width) : 0;
    spectra.show(state.track);
    const pack = await telling(() => coming ?? getPack(shownUrl({ ...state, ...axis.view, columns: width || 800, tilt: spectra.tilt })));
    if (!pack || signal.aborted) return;
    const { head, arrays } = pack;
    const part = (name, run) => head[name] && run({ head: head[name], arrays });
    state.before = null;
    if (head.level?.envelope === state.envelope) take({ head: head.level, arrays });
    else state.level = null;
    if (head.track === state.track) {
      part("wave", (item) => (state.wave = waveOf(item)));
      part("spectra", (item) => spectra.take(item));
      part("rhythm", (item) => rhythm.take(state.track, item));
    }
    if (head.missing.length) work.look();
    state.moved = 0;
    drawAll();
    document.dispatchEvent(new CustomEvent("ft:loaded", { detail: performance.now() }));
    if (coming && width && Math.abs(width - spectra.width) > 80) spectra.load(width, getPack).catch(later);
  }

  async function refresh(shown = {}) {
    const query = new URLSearchParams({ envelope: state.envelope ?? "", track: state.track ?? "", ...shown });
    const html = await telling(() => getText(project.url(`sound/parts?${query}`)));
    await letGo();
    if (html === undefined || signal.aborted) return;
    const scrolled = find("#left")?.scrollTop ?? 0;
    replaceHtml(parts, html);
    find("#left").scrollTop = scrolled;
    mountParts();
    drawer.renew();
    await load();
  }

  const preview = latest(async (command, at, still = () => true) => {
    if (command?.kind !== "put_envelope") return;
    const pack = await postPack(project.url(`envelopes/preview?envelope=${command.envelope.id}`), { command }).catch(later);
    if (!pack || signal.aborted || !still() || (state.trying === null && pack.head.envelope !== state.envelope)) return;
    take(pack);
    drawBands(find("#bands"), { bands: bands(), chosen: state.trying ? state.trying.id : state.envelope });
    drawFrame();
    if (at !== undefined) document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at }));
  });

  /** Show what could be picked without taking it, or with null again what is stored. */
  function peek(body) {
    if (body) {
      state.before ??= state.level;
      preview(body.command, undefined, () => state.before !== null);
    } else if (state.before) {
      state.level = state.before;
      state.before = null;
      drawFrame();
    }
  }

  function fresh(kind, name) {
    const ids = [...parts.querySelectorAll("[data-envelope-json]")].map((item) => item.dataset.envelopeJson);
    let number = ids.length + 1;
    while (ids.includes(`${kind}-${number}`)) number += 1;
    return { id: `${kind}-${number}`, name: name ?? `${kind[0].toUpperCase()}${kind.slice(1)} ${number}` };
  }

  const newBand = ({ low, high, name }) => ({
    ...fresh("band", name),
    track: state.track,
    reading: { id: "band", params: { low_hz: low, high_hz: high } },
    clean_up: JSON.parse(find("#band-begins").textContent), // as Python says
  });

  /** A band is drawn or tuned: its trace follows; when the hand lets go it is stored. */
  async function onBand(band, { done, at }) {
    if (!band) {
      state.trying = null;
      load();
      return;
    }
    const name = band.id === null ? undefined : band.name;
    const envelope =
      band.id === null
        ? newBand({ ...band, name })
        : withPath(withPath(envelopeJson(band.id), "reading.params.low_hz", band.low), "reading.params.high_hz", band.high);
    state.trying = { ...band, name: envelope.name, id: envelope.id };
    if (!done) {
      preview(put("envelope", envelope), at);
      return;
    }
    const stored = await project.edit(put("envelope", envelope), { silent: true });
    state.trying = null;
    await refresh(stored ? { envelope: envelope.id } : {});
  }

  async function addEnvelope(envelope) {
    if (await project.edit(put("envelope", envelope), { silent: true })) await refresh({ envelope: envelope.id });
  }

  function mountParts() {
    inner?.abort();
    inner = new AbortController();
    const scope = AbortSignal.any([signal, inner.signal]);
    const [before, trackBefore] = [state.envelope, state.track];
    state.envelope = find("[data-show-envelope][aria-current]")?.dataset.showEnvelope ?? null;
    state.track = find("#ribbon")?.dataset.track ?? null;
    if (state.envelope !== before) state.level = null;
    acts.mountParts(scope);
    find("[data-show-envelope][aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
    keepListening(trackBefore);
    if (!find("#ribbon")) return;
    find("#tilt").value = String(spectra.tilt);
    showSuggested();
    mountRibbon(find("#ribbon"), { axis, signal: scope, hits: true, ...acts.ribbon });
    mountBands(find("#bands"), {
      bands,
      chosen: () => state.envelope,
      onBand,
      onPick: (id) => refresh({ envelope: id }),
      onClick: (event) => transport.seek(Math.floor(axis.view.from + (event.offsetX / sizeOf(find("#bands")).width) * (axis.view.to - axis.view.from))),
      signal: scope,
    });
    for (const panel of ["#wave-panel", "#envelope-panel"]) mountWheel(find(panel), { axis, plot: () => find("#ribbon"), signal: scope });
  }

  const { suggest, showSuggested, listen, keepListening } = mountListening({ parts, find, state, take: (band) => addEnvelope(newBand(band)) });
  const acts = mountSoundtrack(parts, { state, axis, refresh, soon, signal });
  const drawer = mountDrawer(room.querySelector("#drawer"), { parts, chosen: () => ({ envelope: state.envelope, drive: 0 }), peek, signal });
  mountOrder(parts, { signal });
  mountBenchLinks(parts, { signal });
  mountBindings(parts, { owners: () => ({ envelope: state.envelope }), onTry: (command, field) => preview(pushed(command, field)), onSet: (command, field) => project.edit(pushed(command, field)), signal });

  const showEnvelope = (id) => refresh({ envelope: id, track: envelopeJson(id)?.track ?? state.track });

  const picks = {
    "choose-envelope": showEnvelope,
    "move-with": async (target) => {
      const made = await project.send("mappings", { target, envelope: state.envelope });
      if (made) openOnBench(made.mapping);
    },
    reading: (id) => project.edit(put("envelope", { ...envelopeJson(state.envelope), track: envelopeJson(state.envelope).track ?? state.track, reading: { id } })),
    "named-band": (text) => {
      const [low, high] = text.split(" ").map(Number);
      const name = find(`#named-band option[value="${text}"]`).textContent.split(",")[0];
      addEnvelope(newBand({ name, low, high }));
    },
    "add-envelope": (id) => {
      const words = find(`#add-envelope option[value="${id}"]`).textContent.split(" of ")[0].trim();
      addEnvelope({ ...fresh("envelope", words), track: state.track, reading: { id }, clean_up: [] });
    },
  };
  parts.addEventListener(
    "change",
    (event) => {
      const { id, value } = event.target;
      if (!picks[id] || !value) return;
      if (id !== "reading") event.target.value = "";
      picks[id](value);
    },
    { signal },
  );
  parts.addEventListener(
    "click",
    (event) => {
      const button = event.target.closest("button");
      const data = button?.dataset ?? {};
      if (data.showTrack) refresh({ track: data.showTrack });
      else if (data.showEnvelope) showEnvelope(data.showEnvelope);
      else if (data.removeEnvelope) project.edit({ kind: "remove_envelope", id: data.removeEnvelope });
      else if (!button && event.target.closest("[data-row]") && !event.target.closest("input, select, label")) {
        const { row } = event.target.closest("[data-row]").dataset;
        if (row !== state.track) refresh({ track: row });
      } else if (button?.id === "suggest-bands") suggest();
      else if (button?.id === "listen") listen(button.getAttribute("aria-pressed") === "true" ? null : { envelope: state.envelope });
    },
    { signal },
  );
  const retilt = (event) => {
    if (!("tilt" in event.target.dataset)) return;
    spectra.tilt = event.detail;
    spectra.mean = null;
    spectra.load(spectra.width, getPack).then(soon, later);
  };
  for (const type of ["ft:try", "ft:set"]) parts.addEventListener(type, retilt, { signal });

  axis.addEventListener("view", () => (soon(), find("#ribbon") && spectra.fetch().catch(later)), { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  transport.addEventListener("selection", soon, { signal });
  rhythm.addEventListener("rhythm", soon, { signal });
  project.addEventListener(
    "revised",
    (event) => {
      if (event.detail.before?.rate.join() !== project.standing.rate.join()) spectra.forget();
      if (!event.detail.silent) refresh();
    },
    { signal },
  );
  project.addEventListener("refused", () => refresh(), { signal });
  work.addEventListener("done", () => (spectra.forget(), load()), { signal });
  signal.addEventListener("abort", () => transport.other && transport.listen(null));
  new ResizeObserver(() => {
    soon();
    const width = find("#spectrogram") ? sizeOf(find("#spectrogram")).width : 0;
    if (spectra.picture && Math.abs(width - spectra.width) > 80) spectra.load(width, getPack).catch(later);
  }).observe(room);
  document.fonts.ready.then(soon);
  mountParts();
  load(ahead);
  ahead = null;
  return { zoom: (by) => axis.zoomAt(transport.frame, by) };
}
