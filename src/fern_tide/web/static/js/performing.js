// Performing while the sound plays: taps, a pointer's way, or a microphone; round by round, stored as soon as each ends.

import { Calibrating } from "./calibrating.js";
import { Component } from "./component.js";
import { countIn, countOf } from "./count_in.js";
import { Devices, HAND, PAD } from "./devices.js";
import { byId, first } from "./dom.js";
import { HeardClock } from "./heard_clock.js";
import { latencyOf, latencyWords } from "./latency.js";
import { Outbox } from "./outbox.js";
import { Pad } from "./pad.js";
import { project } from "./project.js";
import { RehearsalHand } from "./rehearsal.js";
import { rhythm } from "./rhythm.js";
import { selection } from "./selection.js";
import { Round } from "./take.js";
import { transport } from "./transport.js";
import { Voice } from "./voice.js";

const READY = {
  taps: "Press Record, then any letter, or click here: higher is stronger.",
  gesture: "Press Record, then lead the pointer over this pad.",
  microphone: "Press Record, then speak, sing or play.",
};

export class Perform extends Component {
  /** @type {"taps" | "gesture" | "microphone"} */
  #kind = "taps";
  #state = "ready";
  #round = null;
  #rounds = 0;
  #heard = 0;
  #into = [];
  #clock = null;
  #hand = null;
  #ends = null;

  /** @param {any} root @param {AbortSignal} signal @param {{ over: () => any }} how over() gives what it lies over */
  constructor(root, signal, { over }) {
    super(root, signal);
    this.over = over;
    this.pad = new Pad(this.find("#perform-pad"), this.signal, { listens: () => this.#listens, onPoint: (values, at) => this.#point(values, at) });
    this.outbox = new Outbox({ query: () => this.#query, onStored: (status) => this.#stored(status), going: () => this.#going, signal: this.signal });
    this.voice = new Voice(this.find("#perform-pad"), this.signal, { standIn: () => this.#rehearsed, onLost: () => this.#stop(), late: () => latencyOf(this.devices.chosen, this.voice.microphone.ownLatency).ms });
    this.devices = new Devices({ field: this.find("#perform-device"), pad: this.pad, voice: this.voice, listens: () => this.#listens, signal: this.signal });
    this.calibrating = new Calibrating({ onState: (state, words) => this.#calibrates(state, words), hand: (clock) => this.#standIn(clock), voice: this.voice });
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
    this.on(root, "change", ({ target }) => this.#changed(target));
    this.on(document, "keydown", (event) => this.#escape(event));
    this.on(window, "pagehide", () => (this.outbox.leave(), this.#ends?.abort()));
    this.on(window, "resize", () => this.#place());
    this.signal.addEventListener("abort", () => this.#stop());
  }

  /** What the pad takes in now. */
  get #listens() {
    if (this.#kind === "microphone") return null;
    if (this.#state === "calibrating") return "taps";
    return this.#state === "recording" ? this.#kind : null;
  }

  open() {
    this.root.hidden = false;
    this.#place();
    this.#performs(this.#kind);
    this.find("#perform-record").focus({ preventScroll: true });
  }

  close() {
    this.#stop();
    this.voice.close();
    this.root.hidden = true;
    this.#marked();
  }

  toggle() {
    if (this.root.hidden) this.open();
    else this.close();
  }

  /** What was drawn anew shows again whether it is open, and where a take may go. */
  renew() {
    this.#marked();
    if (this.root.hidden) return;
    this.#place();
    this.#offer();
  }

  #marked() {
    byId("open-perform")?.setAttribute("aria-expanded", String(!this.root.hidden));
  }

  /** Lie over the spectrogram, so that the waveform above and the level below stay in sight. */
  #place() {
    const place = this.over();
    if (this.root.hidden || !place) return;
    const { left, top, width, height } = place.getBoundingClientRect();
    const room = this.root.offsetParent.getBoundingClientRect();
    Object.assign(this.root.style, { left: `${left - room.left + 8}px`, top: `${top - room.top + 8}px`, width: `${width - 16}px`, height: `${height - 16}px` });
    this.#marked();
  }

  /** Offer the envelopes that are takes of the same kind; the one that is shown is meant. */
  #offer() {
    const field = this.find("#perform-into");
    const takes = JSON.parse(byId("takes-of")?.textContent ?? "[]").filter(({ kind }) => kind === this.#kind);
    const chosen = this.#into[0] ?? takes.find(({ id }) => id === selection.get("envelope"))?.id ?? "";
    const options = takes.map(({ id, name, count }) => new Option(`${name}, as take ${count + 1}`, id));
    field.replaceChildren(new Option("a new envelope", ""), ...options);
    field.value = takes.some(({ id }) => id === chosen) ? chosen : "";
  }

  #show() {
    for (const button of this.all("[data-performs]")) {
      button.setAttribute("aria-pressed", String(button.dataset.performs === this.#kind));
      button.disabled = this.#state !== "ready";
    }
    this.find("#perform-given").hidden = this.#kind !== "gesture";
    this.find("#into-row").hidden = this.#kind === "microphone";
    this.find("#rehearsal-row").hidden = !this.devices.chosen.startsWith("rehearsal");
    this.find("#rehearsal-more").hidden = this.devices.chosen !== "rehearsal microphone";
    this.find("#latency-words").textContent = latencyWords(this.devices.chosen, this.voice.microphone.ownLatency);
    this.find("#pad-words").textContent = this.#state === "ready" ? READY[this.#kind] : "";
    const record = this.find("#perform-record");
    record.textContent = { ready: "Record", counting: "Cancel", recording: "Stop", calibrating: "Record" }[this.#state];
    record.setAttribute("aria-pressed", String(this.#state === "recording"));
    record.disabled = this.#state === "calibrating";
    this.find("#calibrate").textContent = this.#state === "calibrating" ? "Cancel" : "Measure";
    this.root.dataset.state = this.#state;
  }

  #enter(state) {
    this.#state = state;
    this.#show();
  }

  #say(words) {
    this.find("#perform-words").textContent = words;
  }

  #pressed(button) {
    if (!button) return;
    const { id, dataset } = button;
    if (dataset.performs) this.#performs(dataset.performs);
    if (dataset.gives) this.#gives(button);
    if (id === "perform-close") this.close();
    if (id === "perform-record") this.#state === "ready" ? this.#record() : this.#stop();
    if (id === "monitor") this.devices.monitor({ turn: true });
    if (id === "calibrate") this.#state === "calibrating" ? this.calibrating.stop() : this.calibrating.start(this.devices.chosen);
  }

  #performs(kind) {
    this.#kind = kind;
    this.#into = [];
    this.devices.offer(kind);
    this.#offer();
    this.#chosen();
  }

  /** What of a gesture becomes an envelope: one thing at least. */
  #gives(button) {
    const is = button.getAttribute("aria-pressed") === "true";
    const others = this.all("[data-gives][aria-pressed='true']").length;
    button.setAttribute("aria-pressed", String(!is || others === 1));
  }

  #changed({ id }) {
    if (id === "perform-device" || id.startsWith("rehearsal-")) this.#chosen();
  }

  async #chosen() {
    this.#show();
    await this.devices.open();
    this.#show();
  }

  /** How late a stand-in is, in ms, and how noisy and fast a microphone it is. */
  get #rehearsed() {
    const [late, noise_db, drift_ppm] = ["late", "noise", "drift"].map((name) => Number(this.find(`#rehearsal-${name}`).value) || 0);
    return { late, noise_db, drift_ppm };
  }

  #escape(event) {
    if (event.key !== "Escape" || this.root.hidden || event.defaultPrevented || first("dialog[open]")) return;
    event.preventDefault();
    if (this.#state === "ready") this.close();
    else this.#stop();
  }

  /** Count in, play and record: the selection, or from the playhead on; in a loop a take a round. */
  async #record() {
    if (!project.status.frames) return;
    const range = transport.range ?? transport.selection;
    this.#ends = new AbortController();
    this.#rounds = 0;
    const into = this.find("#perform-into").value;
    this.#into = into ? [into] : [];
    transport.stop();
    transport.seek(range ? range[0] : transport.frame >= transport.last ? 0 : transport.frame);
    this.#enter("counting");
    this.#say("Counting in");
    const how = countOf(this.find("#perform-count").value, { perBar: Number(byId("per-bar")?.value ?? 4), bpm: rhythm.bpm });
    const mine = this.#ends;
    if (!(await countIn(how, mine.signal)) || mine.signal.aborted) return;
    this.#clock = new HeardClock(() => transport.seconds);
    this.#begin(this.#seconds(transport.frame));
    this.#enter("recording");
    transport.play();
    if (this.#kind === "microphone") this.voice.begin(() => transport.seconds, { remembers: true });
    this.#hand = this.#standIn(this.#clock);
    if (this.#kind === "taps") this.#hand?.tap(Array.from(rhythm.hits, this.#seconds), this.devices.chosen === PAD ? Array.from(rhythm.strengths) : null);
    else this.#hand?.lead();
    this.#follow(mine.signal);
  }

  #seconds = (frame) => (frame * transport.rate[1]) / transport.rate[0];

  #standIn = (clock) => ([HAND, PAD].includes(this.devices.chosen) ? new RehearsalHand({ clock, late: this.#rehearsed.late, pad: this.pad }) : null);

  #begin(begin) {
    this.#rounds += 1;
    const device = this.devices.chosen;
    this.#round = new Round({ kind: this.#kind, device, begin, latency: latencyOf(device) });
    this.#heard = begin;
  }

  /** Look at the sound's clock with every picture: it may begin a round anew, reach the end, or be stopped. */
  #follow(signal) {
    if (signal.aborted || this.#state !== "recording") return;
    const back = this.#clock.look();
    const { selection: range, looping } = transport;
    if (back && this.#kind === "microphone") return this.#stop();
    if (back) this.#endRound(looping ? this.#seconds(transport.range[1]) : this.#heard, looping ? this.#seconds(transport.range[0]) : transport.seconds);
    this.#heard = transport.seconds;
    if (!transport.playing || this.#round.isFull) return this.#stop();
    if (range && !looping && transport.seconds >= this.#seconds(range[1])) return this.#stop();
    this.#say(this.#kind === "microphone" ? this.voice.words : this.#round.words(this.#rounds));
    requestAnimationFrame(() => this.#follow(signal));
  }

  #point(values, timeStamp) {
    if (this.#state === "calibrating") this.calibrating.tap(timeStamp);
    else if (this.#state === "recording") this.#round.add(this.#clock.at(timeStamp), values);
  }

  /** Stop whatever goes on; what was performed until now is stored. */
  #stop() {
    this.calibrating.stop();
    if (this.#state === "ready" || this.#state === "calibrating") return;
    const was = this.#state;
    this.#ends.abort();
    this.#hand?.stop();
    const end = transport.seconds;
    transport.stop();
    this.#enter("ready");
    this.#say("");
    if (was === "recording") this.#endRound(end);
  }

  /** A round ends, and with another beginning the next one begins. */
  #endRound(end, next = null) {
    if (this.#kind === "microphone") return this.#keepVoice();
    const plain = this.#round.plain(end);
    if (next === null) this.#round = null;
    else this.#begin(next);
    if (plain) this.outbox.take(plain);
    else if (next === null) this.#say("Nothing was performed.");
  }

  /** What was heard becomes a track, where it was performed. */
  #keepVoice() {
    const { blob, address, words, done } = this.voice.end() ?? { words: "Nothing was heard." };
    if (blob) this.outbox.sound(blob, address, done);
    this.#say(words);
  }

  get #query() {
    const given = this.#kind === "gesture" ? this.all("[data-gives][aria-pressed='true']").map(({ dataset }) => ["given", dataset.gives]) : [];
    return new URLSearchParams([...this.#into.map((id) => ["into", id]), ...given]);
  }

  #stored(status) {
    if (!status.envelopes) return;
    this.#into = status.envelopes;
    this.#say(`Take ${status.take} is in ${status.named}.`);
  }

  get #going() {
    return this.#state === "recording" ? this.#round.plain(transport.seconds) : null;
  }

  #calibrates(state, words) {
    if (state) this.#enter(state);
    if (state === "ready" && this.#kind === "microphone") this.#chosen(); // the stand-in plays the sound again
    this.#say(words);
    this.find("#latency-words").textContent = latencyWords(this.devices.chosen, this.voice.microphone.ownLatency);
  }
}
