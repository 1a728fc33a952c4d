// The Sound room: the shown track's waveform and spectrogram with the bands read from it, and the chosen envelope's trace.

import { Axis, xOf } from "./axis.js";
import { mountBands } from "./bands_hand.js";
import { Bound } from "./bound.js";
import { sizeOf } from "./canvas.js";
import { Component } from "./component.js";
import { byId } from "./dom.js";
import { Drawer } from "./drawer.js";
import { EnvelopeTrace } from "./envelope_trace.js";
import { Hits } from "./hits.js";
import { Listening } from "./listening.js";
import { notice, telling } from "./notices.js";
import { Order } from "./order.js";
import { Parts } from "./parts.js";
import { Perform } from "./performing.js";
import { Picker } from "./picker.js";
import { project } from "./project.js";
import { rhythm } from "./rhythm.js";
import { drawRibbon, mountWheel, waveOf } from "./ribbon.js";
import { mountRibbon } from "./ribbon_hand.js";
import { asQuery, openInRoom, selection } from "./selection.js";
import { getPack, newest } from "./server.js";
import { Soundtrack } from "./soundtrack.js";
import { drawBands, drawPitches, Spectrogram } from "./spectrogram.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

const ENOUGH_PX = 80; // another width that a picture is asked for again
const BESIDE_PX = 540; // what stands beside the spectrogram

const shownUrl = (view) => project.url(`sound/shown?${new URLSearchParams({ ...asQuery(["envelope", "track"]), ...view })}`);

let ahead = null;

/** Begin to fetch what the room will draw while its page is still coming. */
export function openingSound() {
  ahead = getPack(shownUrl({ from: 0, to: 0, columns: Math.max(400, window.innerWidth - BESIDE_PX), tilt: 0 }));
  ahead.catch(() => {});
}

export class SoundRoom extends Component {
  #wave = null;
  #trying = null;
  #queued = false;
  #trackBefore = null;

  /** @param {any} room @param {AbortSignal} signal */
  constructor(room, signal) {
    super(room, signal);
    const root = this.find("#parts");
    this.axis = new Axis(project.status.frames);
    this.spectra = new Spectrogram({ axis: this.axis, onDrawn: () => this.#soon() });
    this.trace = new EnvelopeTrace(root, this.signal, { axis: this.axis, onLevel: (at) => this.#levelCame(at), waits: (wrong) => this.#waits(wrong) });
    this.tracks = new Soundtrack(root, this.signal, { axis: this.axis, soon: () => this.#soon() });
    this.listening = new Listening(root, this.signal);
    this.parts = new Parts(root, this.signal, { looked: () => asQuery(["envelope", "track"]), mount: (scope) => this.#mount(scope), drawn: () => this.#drawn() });
    this.drawer = new Drawer(this.find("#drawer"), this.signal, { parts: root, peek: (body) => this.trace.peek(body) });
    this.perform = new Perform(this.find("#perform"), this.signal, { over: () => this.find("#spectrogram") });
    this.hits = new Hits(root, this.signal, { axis: this.axis, trace: this.trace, soon: () => this.#soon() });
    new Order(root, this.signal);
    new Picker(byId("picker"), this.signal);
    new Bound(root, this.signal, {
      onTry: (command, _, { timeStamp }) => this.trace.preview(command, timeStamp),
      onDone: ({ chosen }, element) => element.dataset.opens && openInRoom(element.dataset.opens, chosen),
    });
    this.#listen(root);
    this.#open();
  }

  #listen(root) {
    this.on(root, "click", (event) => this.#pressed(event));
    this.on(root, "ft:try ft:set", (event) => "tilt" in event.target.dataset && this.#tilt(event.detail));
    this.on(this.axis, "view", () => (this.#soon(), this.find("#ribbon") && this.spectra.fetch().catch((wrong) => this.#waits(wrong))));
    this.on(transport, "frame", () => this.#drawFrame());
    this.on(transport, "selection", () => this.#soon());
    this.on(rhythm, "rhythm", () => this.#soon());
    this.on(project, "revised", (event) => this.#revised(event.detail));
    this.on(project, "refused", () => this.parts.renew());
    this.on(work, "done", () => (this.spectra.forget(), this.load()));
    selection.watch(["envelope", "track"], () => this.parts.renew(), this.signal);
    this.onResize(() => this.#resized());
    this.signal.addEventListener("abort", () => transport.other && transport.listen(null));
    document.fonts.ready.then(() => this.#soon());
  }

  /** Draw what came with the page; where something else is selected than the page shows, that. */
  #open() {
    const { envelope, track } = selection.all;
    this.parts.mount();
    const shown = selection.all;
    const other = (envelope && envelope !== shown.envelope && this.find(`[data-show-envelope="${envelope}"]`)) || (track && track !== shown.track && this.find(`[data-row="${track}"]`));
    if (other) selection.set({ envelope, track });
    else this.load(ahead);
    ahead = null;
  }

  get #track() {
    return selection.get("track");
  }

  /** The bands that are read from the shown track, as they are or as the hand holds them. */
  get #bands() {
    const all = JSON.parse(this.find("#bands-read")?.textContent ?? "[]").filter(({ track }) => track === this.#track);
    return this.#trying ? [...all.filter(({ id }) => id !== this.#trying.id), this.#trying] : all;
  }

  get #shownBand() {
    return this.#trying ? this.#trying.id : selection.get("envelope");
  }

  /** Wake what the server drew: what it shows as selected is what is selected. */
  #mount(scope) {
    const envelope = this.find("[data-show-envelope][aria-current]")?.dataset.showEnvelope ?? null;
    const ribbon = this.find("#ribbon");
    const track = ribbon?.dataset.track ?? null;
    this.trace.show(envelope);
    this.#trackBefore = this.#track;
    selection.correct({ envelope, track });
    this.tracks.mount(scope);
    this.find("[data-show-envelope][aria-current]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
    this.listening.mount(this.#trackBefore);
    this.hits.mount(scope);
    if (ribbon) this.#mountPlots(ribbon, scope);
  }

  #mountPlots(ribbon, signal) {
    const { axis } = this;
    this.find("#tilt").value = String(this.spectra.tilt);
    mountRibbon(ribbon, { axis, signal, hits: true, ...this.tracks.ribbon });
    mountBands(this.find("#bands"), {
      bands: () => this.#bands,
      chosen: () => selection.get("envelope"),
      onBand: (band, how) => this.#onBand(band, how),
      onPick: (id) => selection.set({ envelope: id }),
      onClick: (event) => transport.seek(Math.floor(axis.view.from + (event.offsetX / sizeOf(this.find("#bands")).width) * (axis.view.to - axis.view.from))),
      signal,
    });
    for (const panel of ["#wave-panel", "#envelope-panel"]) mountWheel(this.find(panel), { axis, plot: () => this.find("#ribbon"), signal });
  }

  #drawn() {
    this.drawer.renew();
    this.perform.renew();
    return this.load();
  }

  #ask = newest((coming, shown) => telling(() => coming ?? getPack(shownUrl(shown))));

  /** Load what is shown, all at once; what is still being analyzed comes when it is done. */
  async load(coming = null) {
    const { axis, spectra } = this;
    if (axis.frames !== project.status.frames) axis.resize(project.status.frames);
    const picture = this.find("#spectrogram");
    const width = picture ? Math.ceil(sizeOf(picture).width) : 0;
    spectra.show(this.#track);
    this.trace.asks();
    const pack = await this.#ask(coming, { ...axis.view, columns: width || 800, tilt: spectra.tilt });
    if (!pack || this.signal.aborted) return;
    this.#take(pack);
    if (pack.head.missing.length) work.look();
    this.tracks.moved = 0;
    this.#drawAll();
    document.dispatchEvent(new CustomEvent("ft:loaded", { detail: performance.now() }));
    if (coming && width) this.#widen(width);
  }

  #take({ head, arrays }) {
    this.trace.take(head.level?.envelope === selection.get("envelope") ? { head: head.level, arrays } : null);
    if (head.track !== this.#track) return;
    const part = (name, run) => head[name] && run({ head: head[name], arrays });
    part("wave", (item) => (this.#wave = waveOf(item)));
    part("spectra", (item) => this.spectra.take(item));
    part("rhythm", (item) => rhythm.take(this.#track, item));
  }

  #waits(wrong) {
    if (wrong.status === 202) work.awaits();
    else notice(wrong.message);
  }

  /** A band is drawn or tuned: its trace follows; when the hand lets go it is stored. None shows what is stored again. */
  async #onBand(band, { done, at }) {
    if (!band) {
      this.#trying = null;
      this.load();
      return;
    }
    this.#trying = band;
    const command = this.#commandFor(band);
    if (!done) {
      this.trace.preview(command, at);
      return;
    }
    const stored = await project.edit(command);
    this.#trying = null;
    if (stored && band.id !== null) selection.set({ envelope: band.id });
    this.#soon();
  }

  #commandFor({ id, name, low, high }) {
    if (id === null) return { kind: "add_envelope", track: this.#track, reading: { id: this.find("#bands").dataset.reading, params: { low_hz: low, high_hz: high } } };
    const edge = (field, value) => ({ kind: "set_field", owner: "envelope", id, path: `reading.params.${field}`, value });
    return { kind: "together", words: `Tune ${name}`.slice(0, 120), commands: [edge("low_hz", low), edge("high_hz", high)] };
  }

  #pressed(event) {
    const link = event.target.closest("[data-bench]");
    const row = event.target.closest("[data-row]");
    if (event.target.closest("#open-perform")) this.perform.toggle();
    if (link) {
      event.preventDefault();
      openInRoom("bench", { mapping: link.dataset.bench, drive: 0 });
    } else if (row && !event.target.closest("button, input, select, label")) selection.set({ track: row.dataset.row });
  }

  #tilt(tilt) {
    Object.assign(this.spectra, { tilt, mean: null });
    this.spectra.load(this.spectra.width, getPack).then(
      () => this.#soon(),
      (wrong) => this.#waits(wrong),
    );
  }

  #revised({ before }) {
    if (before?.rate.join() !== project.status.rate.join()) this.spectra.forget();
    this.parts.renew();
  }

  #resized() {
    this.#soon();
    const picture = this.find("#spectrogram");
    if (this.spectra.picture && picture) this.#widen(sizeOf(picture).width);
  }

  #widen(width) {
    if (Math.abs(width - this.spectra.width) > ENOUGH_PX) this.spectra.load(width, getPack).catch((wrong) => this.#waits(wrong));
  }

  zoom(by) {
    this.axis.zoomAt(transport.frame, by);
  }

  /** Draw on the next screen frame, once. */
  #soon() {
    if (this.#queued) return;
    this.#queued = true;
    requestAnimationFrame(() => {
      this.#queued = false;
      if (!this.signal.aborted) this.#drawAll();
    });
  }

  #drawAll() {
    const ribbon = this.find("#ribbon");
    if (ribbon) {
      const { hits: { picked }, moved, grid } = this.tracks;
      drawRibbon(ribbon, { wave: this.#wave, axis: this.axis, hits: true, picked, moved, grid });
      this.spectra.draw(this.find("#spectrogram"));
      this.#drawBands();
      drawPitches(this.find("#pitches"));
    }
    this.#drawFrame();
  }

  #drawBands() {
    if (this.find("#bands")) drawBands(this.find("#bands"), { bands: this.#bands, chosen: this.#shownBand });
  }

  #levelCame(at) {
    this.#drawBands();
    this.#drawFrame();
    if (at !== undefined) document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at }));
  }

  #drawFrame() {
    if (transport.playing) this.axis.follow(transport.frame);
    const [head, ribbon] = [this.find("#playhead"), this.find("#ribbon")];
    if (head && ribbon) {
      const { width } = sizeOf(ribbon);
      const x = xOf(transport.frame + 0.5, { ...this.axis.view, width });
      head.hidden = x < 0 || x > width;
      head.style.transform = `translateX(${x}px)`;
      this.spectra.drawSpectrum(this.find("#spectrum"), { frame: transport.frame, bands: this.#bands.filter(({ id }) => id === this.#shownBand) });
    }
    this.hits.show();
    this.trace.draw();
  }
}
