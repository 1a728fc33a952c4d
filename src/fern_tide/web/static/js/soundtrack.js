// The Sound room's left column: tracks, beat, markers and length; and what the ribbon does to them.

import { markerJson, put, trackJson } from "./binding.js";
import { flip } from "./bench.js";
import { say } from "./canvas.js";
import { mountDrop, send } from "./drop.js";
import { setMarker } from "./keyboard.js";
import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { markerFrame } from "./ribbon.js";
import { nearest, rhythm } from "./rhythm.js";
import { getJson, Refused } from "./server.js";
import { taps } from "./taps.js";
import { drawMoved, reportLines, unlike } from "./swap_report.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

const perSecond = () => transport.rate[0] / transport.rate[1];
const LOOK_AGAIN_MS = 700;

export function mountSoundtrack(parts, { state, axis, refresh, soon, signal }) {
  const find = (selector) => parts.querySelector(selector);
  let moving = false;
  let unit = "frames";
  let report = null;
  let asking = null;

  const beat = (how, more = {}) => project.send("beat", { how, ...more });
  const atPlayhead = () => transport.frame / perSecond();
  const snappedToHit = (frames) => {
    const beatNow = nearest(rhythm.beats, transport.frame) ?? 0;
    const hit = nearest(rhythm.hits, beatNow + frames);
    const close = hit !== null && Math.abs(hit - beatNow - frames) < 0.012 * (axis.view.to - axis.view.from);
    return close ? hit - beatNow : frames;
  };

  function moveMarker(marker, frame, done) {
    const time_s = Math.round(frame) / perSecond();
    if (done) project.edit(put("marker", { ...markerJson(marker.id), time_s }));
    else Object.assign(project.standing.markers.find(({ id }) => id === marker.id) ?? {}, { time_s });
    soon();
  }

  function moveGrid(frames, done) {
    const by = snappedToHit(frames);
    state.grid = done ? 0 : by;
    if (done) beat("move", { number: by / perSecond() });
    soon();
  }

  function moveTrack(frames, done) {
    const track = trackJson(state.track);
    const now = (track.offset_samples / track.info.sample_rate_hz) * perSecond();
    const by = Math.round(now + frames) - now;
    state.moved = by;
    if (done) project.send(`tracks/${state.track}/offset`, { offset: Math.round(now + frames) });
    soon();
  }

  /** @param {string} chosen "frame" or "sample", a colon, and "playhead" or a marker's id */
  async function lineUp(chosen) {
    const [to, where] = chosen.split(/:(.*)/);
    const marker = project.standing.markers.find(({ id }) => id === where);
    const frame = marker ? Math.floor(markerFrame(marker) + 1e-4) : transport.frame;
    const near = state.picked ?? nearest(rhythm.hits, transport.frame) ?? transport.frame;
    state.picked = null;
    await project.send(`tracks/${state.track}/offset`, { near_s: near / perSecond(), frame, to });
  }

  async function swapped(file) {
    const standing = await send(project.url(`tracks/${state.track}/file`), file, () => {});
    report = { since: standing.before, lines: ["Comparing the curves…"] };
    project.take(standing);
    await compare();
  }

  /** Ask what moved until both mixes are analyzed. */
  async function compare() {
    try {
      const found = await getJson(project.url(`moved?since=${report.since}`));
      report.lines = reportLines(found);
      report.moved = unlike(found.moved);
    } catch (wrong) {
      if (!(wrong instanceof Refused) || wrong.status !== 202) {
        report.lines = [wrong.message];
      } else if (!signal.aborted) {
        work.look();
        setTimeout(compare, LOOK_AGAIN_MS);
        return;
      }
    }
    showReport();
  }

  function showReport() {
    const place = find("#swap-report");
    if (!place || !report) return;
    place.hidden = false;
    place.replaceChildren(
      ...report.lines.map((line, at) => {
        const paragraph = document.createElement("p");
        paragraph.textContent = line;
        if (at === 0) paragraph.className = "font-semibold";
        return paragraph;
      }),
      ...(report.moved ?? []).map(drawMoved),
    );
  }

  const setLength = (frames) => project.edit({ kind: "set_length", frames });
  const setWork = (range) => project.edit({ kind: "set_work", work: range });

  /** Numbers of the left column that are no fields of a thing. */
  function onSet(event) {
    const { dataset } = event.target;
    const value = event.detail;
    if ("offset" in dataset) project.send(`tracks/${dataset.offset}/offset`, { offset: value, counted_in: unit });
    else if ("tempo" in dataset) beat("tempo", { number: value });
    else if ("perBar" in dataset) beat("per_bar", { number: value });
    else if ("length" in dataset) setLength(value);
    else if ("work" in dataset) {
      const range = [...project.standing.work];
      range[Number(dataset.work)] = dataset.work === "1" ? value + 1 : value;
      setWork(range);
    }
  }

  async function remove(id) {
    const users = JSON.parse(find(`[data-track-users="${id}"]`).textContent);
    if (!users) await project.edit({ kind: "remove_track", id });
    else ask(id);
  }

  /** Ask before a track goes that others depend on; the question stays while the page is drawn anew. */
  function ask(id) {
    asking = id;
    const place = find("#remove-ask");
    if (place) place.hidden = asking !== state.track;
  }

  const moves = {
    move_here: () => {
      const nearestBeat = nearest(rhythm.beats, transport.frame);
      if (nearestBeat === null) notice("There are no beats yet. Set a tempo first, or tap one.");
      else beat("move", { number: (transport.frame - nearestBeat) / perSecond() });
    },
    bar_here: () => beat("bar_here", { number: atPlayhead() }),
  };

  function onClick(event) {
    const button = event.target.closest("button");
    const data = button?.dataset ?? {};
    if (!button) return;
    if (button.id === "choose" || "choose" in data) find("#file").click();
    else if (data.switch) flip(button);
    else if (data.removeTrack) remove(data.removeTrack);
    else if (data.removeAll) project.edit({ kind: "remove_track", id: data.removeAll, with_users: true });
    else if ("keep" in data) ask(null);
    else if (data.moveTrack) project.edit({ kind: "move_track", id: data.moveTrack, place: Number(data.place) });
    else if (data.swap) find("#swap-file").click();
    else if (button.id === "move-track") {
      moving = !moving;
      button.setAttribute("aria-pressed", String(moving));
    } else if (data.beat) (moves[data.beat] ?? beat)(data.beat);
    else if (button.id === "tap") taps.tap();
    else if (button.id === "snap") {
      rhythm.snapping = !rhythm.snapping;
      button.setAttribute("aria-pressed", String(rhythm.snapping));
    } else if (data.go) transport.seek(Math.floor(Number(data.go) * perSecond() + 1e-4));
    else if (data.removeMarker) project.edit({ kind: "remove_marker", id: data.removeMarker });
    else if ("mark" in data) setMarker();
    else if (button.id === "take-markers") find("#marker-file").click();
    else if (button.id === "choose-curve") find("#curve-file").click();
    else if ("follow" in data) setLength(null);
    else if ("workHere" in data) setWork(transport.selection ?? [0, project.standing.frames]);
    else if ("noWork" in data) setWork(null);
  }

  function onChange(event) {
    const { id, value } = event.target;
    if (id === "line-up" && value) lineUp(value);
    else if (id === "beat-track") beat("track", { track: value });
    else if (id === "offset-unit") {
      unit = value;
      showOffset();
    }
  }

  function showOffset() {
    const field = find("#track-offset");
    if (!field) return;
    find("#offset-unit").value = unit;
    field.dataset.step = unit === "ms" ? "10" : "1";
    field.value = String(Number(Number(field.dataset[unit]).toFixed(unit === "ms" ? 2 : 3)));
  }

  /** Take the first file that was chosen, and let the same one be chosen again. */
  const taking = (input, run) =>
    input?.addEventListener(
      "change",
      async () => {
        const [file] = input.files;
        if (file) await telling(() => run(file), { about: file.name });
        input.value = "";
      },
      { signal },
    );

  const takeCurve = async (file) => {
    const standing = await send(project.url("curves"), file, () => {});
    project.take(standing, { silent: true });
    await refresh({ envelope: standing.envelope });
  };

  function mountParts(scope) {
    mountDrop(find("#tracks"), {
      input: find("#file"),
      words: find("#drop-words"),
      work: find("#drop-work"),
      onFile: async (file, share) => project.take(await send(project.url("tracks"), file, share)),
      signal: scope,
    });
    taking(find("#swap-file"), swapped);
    taking(find("#marker-file"), async (file) => project.take(await send(project.url("markers"), file, () => {})));
    taking(find("#curve-file"), takeCurve);
    find("#move-track")?.setAttribute("aria-pressed", String(moving));
    find("#snap")?.setAttribute("aria-pressed", String(rhythm.snapping));
    ask(asking);
    showOffset();
    showHits();
    showReport();
  }

  function showHits() {
    const place = find("#hit-words");
    if (!place || rhythm.track !== state.track) return;
    const grid = rhythm.onGrid === null || !rhythm.beats.length ? "" : `; ${rhythm.onGrid} on the beat`;
    place.dataset.track = rhythm.track ?? "";
    say(place, rhythm.hits.length ? `${rhythm.hits.length} hits in this track${grid}` : "no hits in this track");
    const tempo = find("#tempo");
    if (tempo && document.activeElement !== tempo) tempo.value = String(Number(rhythm.bpm.toFixed(2)));
  }

  parts.addEventListener("ft:set", onSet, { signal });
  parts.addEventListener("click", onClick, { signal });
  parts.addEventListener("change", onChange, { signal });
  rhythm.addEventListener("rhythm", showHits, { signal });
  return {
    mountParts,
    ribbon: {
      onHit: (hit) => {
        state.picked = state.picked === hit ? null : hit;
        soon();
      },
      onMarker: moveMarker,
      onGrid: moveGrid,
      onMove: moveTrack,
      moving: () => moving,
    },
  };
}
