// A proof: every frame of the stage is drawn and sent, some at a time, and the server makes a video of them.

import { Component } from "./component.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { ProofStage } from "./proof_stage.js";
import { postHtml, postJson, upload } from "./server.js";
import { transport } from "./transport.js";

const AT_ONCE = 8; // frames in one request
const AHEAD = 3; // requests that are under way
const AT_WORK = 4; // frames that are written as files meanwhile
const BITS = 20;

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

/** Frames one after the other as one body, each after its length. */
async function packed(blobs) {
  const parts = [];
  for (const blob of blobs) parts.push(new Uint32Array([blob.size]), blob);
  return new Blob(parts);
}

/** Burn the strip in: marks of the frame's number, its time, the project's name, and how high curves stand. */
function burn(stage, { frame, name }) {
  const { context, width, height } = stage;
  const tall = Math.max(18, Math.round(height / 22));
  context.fillStyle = "#000000";
  context.fillRect(0, height - tall, width, tall);
  const cell = Math.floor((width * 0.3) / BITS);
  marksOf(frame).forEach((bit, at) => {
    context.fillStyle = bit ? "#ffffff" : "#000000";
    context.fillRect(at * cell, height - tall, cell, tall);
  });
  context.font = `${Math.round(tall * 0.6)}px "Spline Sans Mono", monospace`;
  context.textBaseline = "middle";
  context.fillStyle = "#ffffff";
  const left = BITS * cell + tall / 2;
  context.fillText(`${timecode(frame, project.status.rate)}  ${frame}  ${name}`, left, height - tall / 2, width * 0.45);
  const curves = Object.values(stage.curves).filter(({ kind, values }) => kind === "number" && values.length > frame).slice(0, 16);
  curves.forEach(({ values }, at) => {
    let [low, high] = [Infinity, -Infinity];
    for (const value of values) [low, high] = [Math.min(low, value), Math.max(high, value)];
    const share = high > low ? (values[frame] - low) / (high - low) : 0;
    const x = width - (curves.length - at) * (tall / 2);
    context.fillRect(x, height - 2 - share * (tall - 4), tall / 3, share * (tall - 4));
  });
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
    const sending = new Set();
    const shown = (first) => Array.from({ length: Math.min(AT_ONCE, order.frames - first) }, (_, at) => shownAt(first + at, order));
    const written = [];
    let next = stage.sheet(shown(order.drawn));
    for (let first = order.drawn; first < order.frames; first += AT_ONCE) {
      const sheet = await next;
      if (first + AT_ONCE < order.frames) next = stage.sheet(shown(first + AT_ONCE));
      next.catch(() => {}); // it is waited for in its turn
      const blobs = [];
      for (const at of sheet.frames.keys()) {
        const strip = order.strip ? () => burn(stage, { frame: first + at, name: order.name }) : null;
        written.push(stage.file(await stage.picture(sheet, at, strip)));
        blobs.push(written.at(-1));
        if (written.length > AT_WORK) await written.shift();
        await breath(); // who wants to stop it is heard
        if (signal.aborted) return;
      }
      const sent = this.#send(order, { first, blobs, signal }).finally(() => sending.delete(sent));
      sent.catch(() => {}); // it is waited for below
      sending.add(sent);
      if (sending.size >= AHEAD) await Promise.race(sending);
      this.#say(`Drawing frame ${first} of ${order.frames}`, first / order.frames);
    }
    await Promise.all(sending);
  }

  async #send(order, { first, blobs, signal }) {
    const body = await packed(await Promise.all(blobs));
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
        blob = await stage.file(await stage.picture(await stage.sheet([frame]), 0), "image/png");
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
