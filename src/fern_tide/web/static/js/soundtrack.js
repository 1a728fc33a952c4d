// The Sound room's left column: tracks, beat, markers and length; and what the ribbon does to them.

import { say } from "./canvas.js";
import { Component } from "./component.js";
import { mountDrop, send } from "./drop.js";
import { Incoming } from "./incoming.js";
import { setMarker } from "./keyboard.js";
import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { markerFrame } from "./ribbon.js";
import { nearest, rhythm } from "./rhythm.js";
import { selection } from "./selection.js";
import { Swap } from "./swap.js";
import { taps } from "./taps.js";
import { TrackHits } from "./track_hits.js";
import { transport } from "./transport.js";

const SNAP_SHARE = 0.012; // of what is shown: beats that are moved land on hits this near
const perSecond = () => transport.rate[0] / transport.rate[1];
const beat = (how, more = {}) => project.send("beat", { how, ...more });
const toggle = (button, is) => button?.setAttribute("aria-pressed", String(is));

export class Soundtrack extends Component {
  #moving = false;
  #unit = "frames";
  #asking = null;
  moved = 0;
  grid = 0;

  /** @param {any} root @param {AbortSignal} signal @param {{ axis: any, soon: () => any }} how soon() draws the plots anew */
  constructor(root, signal, { axis, soon }) {
    super(root, signal);
    this.axis = axis;
    this.soon = soon;
    this.swap = new Swap(root, this.signal);
    this.incoming = new Incoming({ swap: this.swap });
    this.hits = new TrackHits(root, this.signal, { soon });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", (event) => this.#changed(event.target));
    this.on(rhythm, "rhythm", () => this.#showHits());
  }

  /** What the ribbon does. */
  get ribbon() {
    return {
      onHit: (hit) => this.hits.pick(hit),
      onHitMove: (hit, frame, done) => this.hits.drag(hit, frame, done),
      onMarker: (marker, frame, done) => this.#moveMarker(marker, frame, done),
      onGrid: (frames, done) => this.#moveGrid(frames, done),
      onMove: (frames, done) => this.#moveTrack(frames, done),
      moving: () => this.#moving,
    };
  }

  mount(signal) {
    const onFiles = (files, share, newer) => this.incoming.bring(files, share, newer);
    mountDrop(this.find("#tracks"), { onFiles, before: (files, go) => this.incoming.ask(files, go), signal });
    this.#taking("#swap-file", signal, (file) => this.swap.take(file, "track"));
    this.#taking("#curve-file", signal, (file) => this.swap.take(file, "envelope"));
    this.#taking("#marker-file", signal, (file) => this.#bring("markers", file));
    toggle(this.find("#move-track"), this.#moving);
    toggle(this.find("#snap"), rhythm.snapping);
    this.#ask(this.#asking);
    this.#showOffset();
    this.#showHits();
    this.hits.show();
    this.swap.show();
  }

  async #bring(path, file) {
    return project.came(await project.bring(() => send(project.url(path), file)));
  }

  /** Take the first file that was chosen, and let the same one be chosen again. */
  #taking(chooser, signal, run) {
    const input = this.find(chooser);
    const take = async () => {
      const [file] = input.files;
      if (file) await telling(() => run(file), { about: file.name });
      input.value = "";
    };
    input?.addEventListener("change", take, { signal });
  }

  #moveMarker(marker, frame, done) {
    const time_s = Math.round(frame) / perSecond();
    if (done) project.edit({ kind: "set_field", owner: "marker", id: marker.id, path: "time_s", value: time_s });
    else Object.assign(project.status.markers.find(({ id }) => id === marker.id) ?? {}, { time_s });
    this.soon();
  }

  #moveGrid(frames, done) {
    const by = this.#snappedToHit(frames);
    this.grid = done ? 0 : by;
    if (done) beat("move", { number: by / perSecond() });
    this.soon();
  }

  #snappedToHit(frames) {
    const beatNow = nearest(rhythm.beats, transport.frame) ?? 0;
    const hit = nearest(rhythm.hits, beatNow + frames);
    const { from, to } = this.axis.view;
    const close = hit !== null && Math.abs(hit - beatNow - frames) < SNAP_SHARE * (to - from);
    return close ? hit - beatNow : frames;
  }

  #moveTrack(frames, done) {
    const track = selection.get("track");
    const { offset, rate } = this.find(`[data-row="${track}"]`).dataset;
    const now = (Number(offset) / Number(rate)) * perSecond();
    this.moved = Math.round(now + frames) - now;
    if (done) project.send(`tracks/${track}/offset`, { offset: Math.round(now + frames) });
    this.soon();
  }

  /** @param {string} chosen "frame" or "sample", a colon, and "playhead" or a marker's id */
  async #lineUp(chosen) {
    const [to, where] = chosen.split(/:(.*)/);
    const marker = project.status.markers.find(({ id }) => id === where);
    const frame = marker ? Math.floor(markerFrame(marker) + 1e-4) : transport.frame;
    const near = this.hits.picked ?? nearest(rhythm.hits, transport.frame) ?? transport.frame;
    this.hits.picked = null;
    await project.send(`tracks/${selection.get("track")}/offset`, { near_s: near / perSecond(), frame, to });
  }

  /** Ask before a track goes that others depend on; the question stays while the page is drawn anew. */
  #ask(id) {
    this.#asking = id;
    const place = this.find("#remove-ask");
    if (place) place.hidden = id === null || id !== selection.get("track");
  }

  #beatHere() {
    const nearestBeat = nearest(rhythm.beats, transport.frame);
    if (nearestBeat === null) notice("There are no beats yet. Set a tempo first, or tap one.");
    else beat("move", { number: (transport.frame - nearestBeat) / perSecond() });
  }

  /** Buttons that go by the playhead or the selection, or open a file. */
  #pressed(button) {
    const { id, dataset } = button ?? { dataset: {} };
    const acts = {
      choose: () => this.find("#file").click(),
      "move-track": () => toggle(button, (this.#moving = !this.#moving)),
      tap: () => taps.tap(),
      snap: () => toggle(button, (rhythm.snapping = !rhythm.snapping)),
      "take-markers": () => this.find("#marker-file").click(),
      "choose-curve": () => this.find("#curve-file").click(),
    };
    acts[id]?.();
    if ("addSound" in dataset) acts.choose();
    this.#pressedMarked(dataset);
  }

  #pressedMarked(dataset) {
    if (dataset.removeTrack && !dataset.command) this.#ask(dataset.removeTrack);
    else if ("keep" in dataset) this.#ask(null);
    else if (dataset.swap) this.find("#swap-file").click();
    else if (dataset.beat === "bar_here") beat("bar_here", { number: transport.frame / perSecond() });
    else if (dataset.beat === "move_here") this.#beatHere();
    else if (dataset.go) transport.seek(Math.floor(Number(dataset.go) * perSecond() + 1e-4));
    else if ("mark" in dataset) setMarker();
    else if ("workHere" in dataset) project.edit({ kind: "set_work", work: transport.selection ?? [0, project.status.frames] });
  }

  #changed({ id, value }) {
    if (id === "line-up" && value) this.#lineUp(value);
    if (id !== "offset-unit") return;
    this.#unit = value;
    this.#showOffset();
  }

  #showOffset() {
    const field = this.find("#track-offset");
    if (!field) return;
    const unit = this.#unit;
    this.find("#offset-unit").value = unit;
    field.dataset.step = unit === "ms" ? "10" : "1";
    field.dataset.values = JSON.stringify({ counted_in: unit });
    field.value = String(Number(Number(field.dataset[unit]).toFixed(unit === "ms" ? 2 : 3)));
  }

  #showHits() {
    const place = this.find("#hit-words");
    if (!place || rhythm.track !== selection.get("track")) return;
    const grid = rhythm.onGrid === null || !rhythm.beats.length ? "" : `, ${rhythm.onGrid} on the beat`;
    place.dataset.track = rhythm.track ?? "";
    say(place, rhythm.hits.length ? `${rhythm.hits.length} hit${rhythm.hits.length === 1 ? "" : "s"}${grid}` : "no hits in this track");
    const tempo = this.find("#tempo");
    if (tempo && document.activeElement !== tempo) tempo.value = String(Number(rhythm.bpm.toFixed(2)));
  }
}
