// What a microphone hears, or its stand-in: blocks of samples with their times, a level, and whether it was too loud.

import { middle } from "./heard_clock.js";
import { Refused } from "./server.js";
import { joined } from "./wav.js";

export const RATE = 48_000;
export const MOST_S = 1800;
export const PLAIN = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
const FULL = 0.999;
const LOOKS = 60; // at both clocks, of which the middle one counts
const STEADY_S = 0.4; // after a sound began to play
const AHEAD_S = 0.1; // a stand-in begins
const NO_MICROPHONE = {
  NotAllowedError: { what: "The microphone was refused.", remedy: "Allow it for this page in the browser, then choose it again." },
  NotFoundError: { what: "There is no microphone.", remedy: "Plug one in, or choose the rehearsal microphone." },
  NotReadableError: { what: "The microphone is used by another program.", remedy: "Close that, then choose it again." },
};

/** A sentence for a microphone that cannot be had. Pure. */
export const wordsFor = (name) => NO_MICROPHONE[name] ?? { what: "The microphone cannot be opened.", remedy: "Unplug it and plug it in again, or use another browser." };

/** The loudest of some samples. Pure. */
export const peakOf = (samples) => samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0);

export class Microphone {
  #context = null;
  #stream = null;
  #source = null;
  #capture = null;
  #node = null;
  #monitor = null;
  #blocks = null;
  #first = NaN;
  #from = NaN;
  #seconds = null;
  #apart = [];
  level = 0;
  clipped = false;

  /** @param {{ onLost: () => any }} how onLost() hears that the device is gone */
  constructor({ onLost }) {
    this.onLost = onLost;
  }

  /** Open the machine's own microphone, or another source that goes into its capture; throws where it cannot be had. */
  async open(other = null) {
    this.close();
    if (!other && !navigator.mediaDevices?.getUserMedia) throw new Refused(0, { what: "A page that is not on this machine gets no microphone.", remedy: "Open Fern Tide at 127.0.0.1, or by https." });
    const context = (this.#context = new AudioContext({ sampleRate: RATE }));
    await context.audioWorklet.addModule(new URL("capture_worklet.js", import.meta.url).href);
    if (this.#context !== context) return;
    const capture = new AudioWorkletNode(context, "capture", { numberOfOutputs: 1, outputChannelCount: [1] });
    this.#capture = capture;
    capture.port.onmessage = ({ data }) => this.#hear(data);
    capture.connect(context.destination); // it gives silence; without it nothing is pulled through
    const source = other ? await this.#into(other, context, capture) : await this.#listen(context, capture);
    if (this.#context !== context) return void source?.end?.(); // another device was chosen meanwhile
    this.#source = source;
    await context.resume();
    this.#follow(context);
  }

  async #into(other, context, capture) {
    try {
      return await other.into(context, capture);
    } catch (wrong) {
      if (this.#context === context) this.close();
      throw wrong;
    }
  }

  async #listen(context, capture) {
    let stream;
    try {
      stream = await navigator.mediaDevices.getUserMedia({ audio: PLAIN });
    } catch (wrong) {
      if (this.#context === context) this.close();
      throw new Refused(0, wordsFor(wrong.name));
    }
    if (this.#context !== context) return void stream.getTracks().forEach((track) => track.stop());
    this.#stream = stream;
    for (const track of stream.getTracks()) track.addEventListener("ended", () => this.onLost());
    const source = (this.#node = context.createMediaStreamSource(stream));
    source.connect(capture);
    return source;
  }

  #follow(context) {
    if (this.#context !== context) return;
    const heard = this.#blocks?.length ? this.#seconds() : NaN;
    if (heard > this.#from) this.#apart.push(heard - context.currentTime);
    requestAnimationFrame(() => this.#follow(context));
  }

  #hear({ at, channels, peak = Math.max(...channels.map(peakOf)) }) {
    this.level = Math.max(peak, this.level * (channels ? 0.97 : 0.9));
    if (!this.#blocks || !channels) return;
    if (!this.#blocks.length) this.#first = at;
    this.clipped ||= peak >= FULL;
    if (this.#blocks.length < (MOST_S * RATE) / 128) this.#blocks.push(channels);
  }

  /** How late the device is by the browser's own figure, in ms; 0 where it says nothing. */
  get ownLatency() {
    return 1000 * (this.#stream?.getAudioTracks()[0]?.getSettings().latency ?? 0);
  }

  get isOpen() {
    return this.#context !== null;
  }

  get seconds() {
    return ((this.#blocks?.length ?? 0) * 128) / RATE;
  }

  /** Let what comes be heard meanwhile, or not. */
  monitor(on) {
    this.#monitor?.disconnect();
    this.#monitor = on && this.#node ? new GainNode(this.#context) : null;
    if (this.#monitor) this.#node.connect(this.#monitor).connect(this.#context.destination);
  }

  /** Hand all that is heard from now on to another listener, by a port, instead of recording it; a stand-in begins to play. */
  handTo(port) {
    this.#capture.port.postMessage({ port }, [port]);
    this.#source?.play?.(() => this.#context?.currentTime ?? NaN);
  }

  /** The blocks after so many that were recorded, and when the first of all was heard; null where there are none, or that is not known yet. */
  since(count) {
    const blocks = (this.#blocks ?? []).slice(count);
    const begin = this.#first + middle(this.#apart.slice(0, LOOKS));
    return blocks.length && Number.isFinite(begin) ? { blocks, begin } : null;
  }

  /** Begin to record while a sound plays, whose seconds are given; a stand-in begins to play. */
  begin(seconds) {
    this.clipped = false;
    this.#blocks = [];
    this.#apart = [];
    this.#seconds = seconds;
    this.#from = seconds();
    this.#source?.play?.(seconds);
  }

  /**
   * End recording: the samples, when the first of them was heard in seconds of the sound, and by how many seconds both clocks
   * went apart meanwhile; null where there is none.
   */
  end() {
    const [first, last] = [this.#apart.slice(0, LOOKS), this.#apart.slice(-LOOKS)].map(middle);
    const blocks = this.#blocks ?? [];
    this.#blocks = null;
    this.#source?.rest?.();
    if (!blocks.length || !Number.isFinite(first)) return null;
    return { channels: joined(blocks), begin: this.#first + first, drift: last - first };
  }

  close() {
    this.#source?.end?.();
    this.#stream?.getTracks().forEach((track) => track.stop());
    this.#context?.close();
    this.#context = this.#stream = this.#source = this.#blocks = this.#node = this.#monitor = null;
    this.level = 0;
  }
}

/** The rehearsal microphone: a track of the project as if it came from outside, late, with noise, by a clock that drifts. */
export class RehearsalMicrophone {
  /** @param {{ url: string, late: number, noise_db: number, drift_ppm: number, loops?: boolean }} how late is in ms */
  constructor(how) {
    this.how = how;
  }

  async into(context, capture) {
    const bytes = await (await fetch(this.how.url)).arrayBuffer();
    const buffer = await context.decodeAudioData(bytes);
    if (context.state === "closed") return null; // another device was chosen meanwhile
    const softer = new GainNode(context, { gain: 0.5 });
    this.#noise(context, capture);
    let source = null;
    const play = (seconds) => {
      const from = seconds();
      source = new AudioBufferSourceNode(context, { buffer, playbackRate: 1 + this.how.drift_ppm * 1e-6, loop: this.how.loops });
      source.connect(softer).connect(capture);
      const starts = () => {
        const heard = seconds();
        if (!(heard > from + STEADY_S)) return void requestAnimationFrame(starts); // its clock is not steady yet
        source?.start(context.currentTime + AHEAD_S + this.how.late / 1000, heard + AHEAD_S);
      };
      starts();
    };
    const rest = () => {
      source?.disconnect();
      source = null;
    };
    return { play, rest };
  }

  #noise(context, capture) {
    const buffer = new AudioBuffer({ length: 2 * context.sampleRate, sampleRate: context.sampleRate });
    const samples = buffer.getChannelData(0);
    for (let at = 0; at < samples.length; at += 1) samples[at] = (2 * Math.random() - 1) * 10 ** (this.how.noise_db / 20);
    const noise = new AudioBufferSourceNode(context, { buffer, loop: true });
    noise.connect(capture);
    noise.start();
  }
}
