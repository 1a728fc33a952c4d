// The Sound room: tracks, a waveform, envelopes with their raw and cleaned level.

import { Axis, xOf } from "./axis.js";
import { envelopeJson, mountBindings, put } from "./binding.js";
import { flip } from "./bench.js";
import { colours, pen, say } from "./canvas.js";
import { mountDrop, send } from "./drop.js";
import { columns, fillColumns, strokeColumns } from "./lane.js";
import { notice, replaceHtml, telling } from "./notices.js";
import { project } from "./project.js";
import { drawRibbon, mountRibbon, mountWheel } from "./ribbon.js";
import { getPack, getText, latest, postPack } from "./server.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

export function mountSound(room, signal) {
  const parts = room.querySelector("#parts");
  const axis = new Axis(project.standing.frames);
  const state = { envelope: null, track: null, level: null, wave: null };
  let inner = null;
  const find = (selector) => parts.querySelector(selector);

  function drawTrace() {
    const canvas = find("#trace");
    if (!canvas || !state.level) return;
    const { context, width, height } = pen(canvas);
    const ink = colours();
    const levels = { low: 0, high: Math.max(1e-6, state.level.top) * 1.05, height };
    context.fillStyle = ink["tide-wash"];
    fillColumns(context, columns(state.level.raw, { ...axis.view, width }), levels);
    context.strokeStyle = ink.tide;
    context.lineWidth = 1.8;
    context.lineJoin = "round";
    strokeColumns(context, columns(state.level.cleaned, { ...axis.view, width }), levels);
    context.fillStyle = ink.ember;
    context.fillRect(xOf(transport.frame + 0.5, { ...axis.view, width }) - 0.75, 0, 1.5, height);
  }

  function drawFrame() {
    if (transport.playing) axis.follow(transport.frame);
    const [head, canvas] = [find("#playhead"), find("#ribbon")];
    if (head && canvas) {
      const { left, width } = canvas.getBoundingClientRect();
      const x = xOf(transport.frame + 0.5, { ...axis.view, width });
      head.hidden = x < 0 || x > width;
      head.style.top = `${canvas.offsetTop}px`;
      head.style.transform = `translateX(${left - head.parentElement.getBoundingClientRect().left - 1 + x}px)`;
    }
    drawTrace();
    if (!state.level || !find("#level-here")) return;
    const here = find("#level-here");
    const { unit } = here.dataset;
    const db = state.level.db[transport.frame];
    if (!unit) say(here, state.level.cleaned[transport.frame].toFixed(3));
    else say(here, db <= -119 ? "silent" : db.toFixed(1));
    const most = unit ? `loudest ${state.level.loudest.toFixed(1)} ${unit}` : `highest ${state.level.top.toFixed(3)}`;
    say(find("#level-words"), unit && db > -119 ? `${unit}, ${most}` : most);
  }

  function drawAll() {
    if (find("#ribbon")) drawRibbon(find("#ribbon"), { wave: state.wave, axis });
    drawFrame();
  }

  function take({ head, arrays }) {
    state.level = { raw: arrays[head.raw], cleaned: arrays[head.cleaned], db: arrays[head.cleaned_db], top: head.top, loudest: head.loudest_db };
  }

  /** Load what is shown; what is still being analyzed comes when it is done. */
  async function load() {
    const later = (wrong) => (wrong.status === 202 ? work.look() : notice(wrong.message));
    axis.resize(project.standing.frames);
    if (state.envelope) await getPack(project.url(`envelopes/${state.envelope}/level`)).then(take, later);
    if (state.track && state.wave?.id !== state.track) {
      state.wave = null;
      await getPack(project.url(`tracks/${state.track}/waveform`)).then(({ head, arrays }) => {
        const rows = arrays[head.waveform];
        state.wave = { id: state.track, rows, spanS: head.span_s, startS: head.start_s, gain: 1 };
      }, later);
    }
    if (!signal.aborted) drawAll();
  }

  async function refresh(shown = {}) {
    const query = new URLSearchParams({ envelope: state.envelope ?? "", track: state.track ?? "", ...shown });
    const html = await telling(() => getText(project.url(`sound/parts?${query}`)));
    if (html === undefined || signal.aborted) return;
    replaceHtml(parts, html);
    mountParts();
    await load();
  }

  const preview = latest(async (command) => {
    if (command.kind !== "put_envelope") return;
    const pack = await telling(() => postPack(project.url(`envelopes/preview?envelope=${command.envelope.id}`), { command }));
    if (!pack || signal.aborted) return;
    take(pack);
    drawFrame();
  });

  async function addEnvelope(track) {
    const ids = [...parts.querySelectorAll("[data-envelope-json]")].map((item) => item.dataset.envelopeJson);
    let number = ids.length + 1;
    while (ids.includes(`envelope-${number}`)) number += 1;
    const envelope = { id: `envelope-${number}`, name: `Envelope ${number}`, track, reading: { id: "band" }, clean_up: [{ id: "rise_and_fall" }] };
    if (await project.edit(put("envelope", envelope), { silent: true })) await refresh({ envelope: envelope.id });
  }

  function mountParts() {
    inner?.abort();
    inner = new AbortController();
    const scope = AbortSignal.any([signal, inner.signal]);
    state.envelope = find("[data-show-envelope][aria-current]")?.dataset.showEnvelope ?? null;
    state.track = find("#ribbon")?.dataset.track ?? null;
    mountDrop(find("#tracks"), {
      input: find("#file"),
      words: find("#drop-words"),
      work: find("#drop-work"),
      onFile: async (file, share) => project.take(await send(project.url("tracks"), file, share)),
      signal: scope,
    });
    if (find("#ribbon")) {
      mountRibbon(find("#ribbon"), { axis, signal: scope });
      for (const panel of ["#wave-panel", "#envelope-panel"]) mountWheel(find(panel), { axis, plot: () => find("#ribbon"), signal: scope });
    }
  }

  mountBindings(parts, { owners: () => ({ envelope: state.envelope }), onTry: preview, onSet: (command) => project.edit(command), signal });
  parts.addEventListener(
    "change",
    (event) => {
      if (event.target.dataset.act !== "reading") return;
      project.edit(put("envelope", { ...envelopeJson(state.envelope), reading: { id: event.target.value } }));
    },
    { signal },
  );
  parts.addEventListener(
    "click",
    (event) => {
      const button = event.target.closest("button");
      const data = button?.dataset ?? {};
      if (button?.id === "choose" || "choose" in data) find("#file").click();
      else if (data.switch) flip(button);
      else if (data.showTrack) refresh({ track: data.showTrack });
      else if (data.showEnvelope) refresh({ envelope: data.showEnvelope, track: "" });
      else if (data.removeTrack) project.edit({ kind: "remove_track", id: data.removeTrack });
      else if (data.removeEnvelope) project.edit({ kind: "remove_envelope", id: data.removeEnvelope });
      else if (data.addEnvelope) addEnvelope(data.addEnvelope);
    },
    { signal },
  );
  const redraw = () => requestAnimationFrame(() => !signal.aborted && drawAll());
  axis.addEventListener("view", redraw, { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  project.addEventListener("revised", (event) => !event.detail.silent && refresh(), { signal });
  project.addEventListener("refused", () => refresh(), { signal });
  work.addEventListener("done", load, { signal });
  new ResizeObserver(redraw).observe(room);
  document.fonts.ready.then(redraw);
  mountParts();
  load();
  return { zoom: (by) => axis.zoom(by) };
}
