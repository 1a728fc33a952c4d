// A proof: every frame of the stage is drawn and sent, some at a time, and the server makes a video of them.

import { Component } from "./component.js";
import { rangeOf } from "./keys_plot.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { takenFrom } from "./proof_sheet.js";
import { ProofStage } from "./proof_stage.js";
import { postHtml, postJson, upload } from "./server.js";
import { transport } from "./transport.js";

const AHEAD = 3; // requests that are under way
const AT_WORK = 4; // frames that are laid together meanwhile
const BITS = 20;
const MOST_LEVELS = 16;

/** A frame's own time as text: minutes, seconds and frames. Pure. */
export function timecode(frame, [top, bottom]) {
  const perSecond = Math.max(1, Math.round(top / bottom));
  const pad = (number) => String(number).padStart(2, "0");
  const seconds = Math.floor(frame / perSecond);
  return `${pad(Math.floor(seconds / 60))}:${pad(seconds % 60)}:${pad(frame % perSecond)}`;
}

/** The bits of a frame's number, the highest first, as the strip's marks show them. Pure. */
export const marksOf = (frame, bits = BITS) => Array.from({ length: bits }, (_, at) => (frame >> (bits - 1 - at)) & 1);

/** The frame of the stage that a frame of the video shows: earlier by as much as the screen is late. Pure. */
export const shownAt = (frame, { ahead, frames }) => Math.min(Math.max(frame + ahead, 0), frames - 1);

/** Let the page do what it has to do. */
const breath = () => /** @type {any} */ (globalThis).scheduler?.yield?.() ?? new Promise((done) => setTimeout(done));

/** Frames one after the other as one body, each after its length. @param {any[]} frames files or plain pixels */
function packed(frames) {
  if (frames[0] instanceof Blob) return new Blob(frames.flatMap((frame) => [new Uint32Array([frame.size]), frame]));
  const all = new Uint8Array(frames.reduce((sum, frame) => sum + 4 + frame.byteLength, 0));
  let at = 0;
  for (const frame of frames) {
    new DataView(all.buffer).setUint32(at, frame.byteLength, true);
    all.set(new Uint8Array(frame), at + 4);
    at += 4 + frame.byteLength;
  }
  return all;
}

/** The strip that is burnt in: marks of the frame's number, its time, the project's name, and how high curves stand. */
class Strip {
  constructor({ width, height, curves, name }) {
    const tall = Math.max(18, Math.round(height / 22));
    this.y = height - tall;
    this.name = name;
    this.context = Object.assign(document.createElement("canvas"), { width, height: tall }).getContext("2d", { alpha: false });
    this.curves = Object.values(curves).filter(({ kind }) => kind === "number").map(({ values }) => ({ values, range: rangeOf([values]) }));
  }

  /** The strip of a frame, as a layer over the picture. */
  async layer(frame) {
    const { context } = this;
    const { width, height } = context.canvas;
    context.fillStyle = "#000000";
    context.fillRect(0, 0, width, height);
    context.fillStyle = "#ffffff";
    const cell = Math.floor((width * 0.3) / BITS);
    marksOf(frame).forEach((bit, at) => bit && context.fillRect(at * cell, 0, cell, height));
    context.font = `${Math.round(height * 0.6)}px "Spline Sans Mono", monospace`;
    context.textBaseline = "middle";
    context.fillText(`${timecode(frame, project.status.rate)}  ${frame}  ${this.name}`, BITS * cell + height / 2, height / 2, width * 0.45);
    this.#levels(frame);
    return { picture: await takenFrom(context.canvas), y: this.y };
  }

  #levels(frame) {
    const { context } = this;
    const { width, height } = context.canvas;
    const curves = this.curves.filter(({ values }) => values.length > frame).slice(0, MOST_LEVELS);
    curves.forEach(({ values, range: { low, high } }, at) => {
      const tall = ((values[frame] - low) / (high - low)) * (height - 4);
      context.fillRect(width - (curves.length - at) * (height / 2), height - 2 - tall, height / 3, tall);
    });
  }
}

export class Proof extends Component {
  #running = null;
  /** Hears of a proof that is made. */
  onOver = () => {};
  #status = "";
  #chosen = null;

  /** Take up what the server drew anew: what is under way goes on. @param {any} root @param {AbortSignal} signal */
  mount(root, signal) {
    this.place = root.querySelector("#proof");
    if (!this.place) return;
    const on = (selector, type, run) => this.place.querySelector(selector)?.addEventListener(type, run, { signal });
    on("#proof-form", "submit", (event) => (event.preventDefault(), this.begin(this.#asked())));
    on("#proof-form", "input", () => (this.#chosen = this.#asked()));
    if (this.#chosen) this.#choose(this.#chosen);
    on("#proof-stop", "click", () => this.#running?.abort());
    for (const button of this.place.querySelectorAll("[data-still]")) button.addEventListener("click", () => this.#still(button.dataset.still), { signal });
    this.place.addEventListener("htmx:afterSwap", () => this.#told(), { signal });
    this.#put(this.#status);
    this.#show();
  }

  /** The server says how far it is; once it is over, the checks may know more. */
  #told() {
    this.#status = this.#box.innerHTML;
    if (this.#box.querySelector("[data-proof-over]")) this.onOver();
  }

  get #box() {
    return this.place.querySelector("#proof-status");
  }

  /** Put in place what the server says of how far it is; that asks for itself again. */
  #put(text) {
    this.#status = text;
    this.#box.replaceChildren(...new DOMParser().parseFromString(text, "text/html").body.childNodes);
    /** @type {any} */ (window).htmx.process(this.#box);
  }

  /** Fill the form in: the server draws it anew, but what was chosen stays. */
  #choose({ strip, ...values }) {
    for (const [name, value] of Object.entries(values)) {
      const field = this.place.querySelector(`#proof-${name}`);
      field.value = value;
      if (field.selectedIndex === -1) field.selectedIndex = 0; // it is the project's rate now
    }
    this.place.querySelector("#proof-strip").checked = strip;
  }

  #asked() {
    const value = (name) => this.place.querySelector(`#proof-${name}`).value;
    return { kind: value("kind"), rate: value("rate"), width: value("width"), height: value("height"), strip: this.place.querySelector("#proof-strip").checked };
  }

  #say(words, share = null) {
    this.#status = "";
    const text = document.createElement("p");
    text.className = "text-12";
    text.textContent = share === null ? words : `${words}, ${Math.round(100 * share)} %`;
    this.#box.replaceChildren(text);
    if (share === null) this.#status = this.#box.innerHTML;
  }

  #show() {
    const [stop, begin] = ["#proof-stop", "#proof-begin"].map((id) => this.place.querySelector(id));
    stop.hidden = !this.#running;
    begin.disabled = Boolean(this.#running);
  }

  /** Draw all frames that are not there yet, and have the video made; what is stopped goes on from there. */
  async begin(asked) {
    if (this.#running) return;
    const stopping = (this.#running = new AbortController());
    const signal = AbortSignal.any([this.signal, stopping.signal]);
    this.#show();
    try {
      const order = await postJson(project.url("proof"), asked);
      const scope = new AbortController();
      try {
        await this.#drawAll(order, await new ProofStage(order, scope.signal).load(), signal);
      } finally {
        scope.abort();
      }
      if (signal.aborted) throw new DOMException("stopped", "AbortError");
      await this.#end(order);
    } catch (wrong) {
      if (this.signal.aborted) return;
      if (wrong.name === "AbortError") this.#say("Stopped. What is drawn stays: make it again to go on from there.");
      else this.#say(wrong.message);
    } finally {
      this.#running = null;
      if (!this.signal.aborted) this.#show();
    }
  }

  #query({ kind, rate, width, height, strip }, more = {}) {
    return new URLSearchParams({ kind, rate, width, height, strip: String(strip), ...more });
  }

  async #drawAll(order, stage, signal) {
    const { frames, at_once } = order;
    const strip = order.strip ? new Strip({ ...order, curves: stage.curves }) : null;
    const sending = new Set();
    const shown = (first) => Array.from({ length: Math.min(at_once, frames - first) }, (_, at) => shownAt(first + at, order));
    const atWork = [];
    let next = stage.sheet(shown(order.drawn));
    for (let first = order.drawn; first < frames; first += at_once) {
      const sheet = await next;
      if (first + at_once < frames) next = stage.sheet(shown(first + at_once));
      next.catch(() => {}); // it is waited for in its turn
      const drawn = [];
      for (const at of sheet.frames.keys()) {
        const layers = await stage.layers(sheet, at);
        if (strip) layers.push(await strip.layer(first + at));
        drawn.push(order.plain ? stage.pixels(layers) : stage.file(layers));
        drawn.at(-1).catch(() => {}); // likewise
        atWork.push(drawn.at(-1));
        if (atWork.length > AT_WORK) await atWork.shift();
        await breath(); // who wants to stop it is heard
        if (signal.aborted) return;
      }
      const sent = this.#send(order, { first, drawn, signal }).finally(() => sending.delete(sent));
      sent.catch(() => {}); // it is waited for below
      sending.add(sent);
      if (sending.size >= AHEAD) await Promise.race(sending);
      this.#say(`Drawing frame ${first} of ${frames}`, first / frames);
    }
    await Promise.all(sending);
  }

  async #send(order, { first, drawn, signal }) {
    const body = packed(await Promise.all(drawn));
    const url = project.url(`proof/${order.id}/frames?${this.#query(order, { first: String(first) })}`);
    await upload(url, body, { onShare: () => {}, name: "A frame", signal });
  }

  async #end(order) {
    const text = await postHtml(project.url(`proof/${order.id}/end?${this.#query(order)}`));
    this.#put(text);
  }

  /** Give the frame at the playhead as a picture. */
  async #still(type) {
    const scope = new AbortController();
    try {
      const { width, height } = this.#asked();
      const order = await postJson(project.url("proof"), { kind: "png", width, height });
      const stage = await new ProofStage({ ...order, clear: false }, scope.signal).load();
      const frame = transport.frame;
      let blob = new Blob([stage.space === "2d" ? stage.svgOf(frame) : ""], { type: "image/svg+xml" });
      if (type === "png") {
        blob = await stage.file(await stage.layers(await stage.sheet([frame]), 0), "image/png");
      }
      const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(blob), download: `${order.name} ${frame}.${type}` });
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch (wrong) {
      notice(wrong.message);
    } finally {
      scope.abort();
    }
  }
}
