// Live: what a microphone, a tab or their stand-in hears moves the stage as it comes. Python says how; see web/pages/live.py.

import { Component } from "./component.js";
import { first } from "./dom.js";
import { middle, sharedNow } from "./heard_clock.js";
import { Microphone, RATE, RehearsalMicrophone } from "./microphone.js";
import { hush, notice, telling, UNREACHABLE } from "./notices.js";
import { unpackedMotion } from "./pieces.js";
import { project } from "./project.js";
import { postJson, postLast, Refused, token, unpack } from "./server.js";
import { TabSound } from "./tab_sound.js";
import { transport } from "./transport.js";
import { drawMeter } from "./voice.js";

const CHANNELS = { microphone: 1, tab: 2, rehearsal: 2 };
const TELL_MS = 500;
const GONE = 410; // the session is
const LOOKS = 60; // pictures of which the middle one is said
const WAITED_MS = 8; // an answer did, so that the page was busy when it came
const LONGEST_MS = 150; // without a picture
const NO_SOUND = { what: "Nothing is heard that the rehearsal microphone could play.", remedy: "Let a track be heard." };

/** What is late, in one line for each: those first that are the latest. Pure. */
export function lagLines({ lags, late }) {
  const lines = [...lags].sort((a, b) => b.ms - a.ms).map(({ name, ms, words }) => [ms ? `${ms} ms late` : words.length ? "" : "at once", name, words.join(" ")]);
  return late ? [...lines, ["", "", late]] : lines;
}

/** What drives pieces, once its newest rows came: whole, or rows for what is known. Pure. */
export function withRows(known, properties, arrays) {
  const moved = { ...known };
  for (const [name, one] of Object.entries(properties)) {
    if (name === "thrown") moved.thrown = one;
    else if (one.whole) Object.assign(moved, unpackedMotion({ [name]: one.whole }, arrays));
    else moved[name] = { ...known[name], drivers: known[name].drivers.map((driver, at) => ({ ...driver, rows: [arrays[one.rows[at]]].flat() })) };
  }
  return moved;
}

/** Whether an answer waited while the page drew: the next one is on its way, and with that the picture is less late. Pure. */
export const isStale = ({ cameAt, drawnAt, now }) => now - cameAt > WAITED_MS && now - drawnAt < LONGEST_MS;

export class Live extends Component {
  #session = null;
  #worker = null;
  #starts = false;
  #standing = { curves: {}, parts: {}, arrays: {} };
  #next = null;
  #drawnAt = 0;
  #isDrawn = false; // on this picture of the screen
  #told = 0;
  #delays = [];

  /** @param {any} room @param {AbortSignal} signal @param {{ onStand: (standing: any) => any }} how onStand() hears how the stage stands; null when it is over */
  constructor(room, signal, { onStand }) {
    super(room, signal);
    this.onStand = onStand;
    this.panel = this.find("#live");
    this.microphone = new Microphone({ onLost: () => this.#lost() });
    this.on(room, "click", ({ target }) => this.#act(target.closest("button")?.id));
    this.on(document, "keydown", (event) => event.key === "Escape" && !this.panel.hidden && !event.defaultPrevented && !first("dialog[open]") && !document.fullscreenElement && this.#close());
    this.on(project, "revised", () => this.#session && this.#address());
    this.on(window, "pagehide", () => this.#stop({ quietly: true }));
    this.signal.addEventListener("abort", () => this.#stop({ quietly: true }));
  }

  /** The panels were drawn anew. */
  mount() {
    this.find("#live-open")?.setAttribute("aria-pressed", String(this.#session !== null));
    const tracks = JSON.parse(this.find("#live-tracks")?.textContent ?? "[]");
    const place = this.panel.querySelector("#live-place");
    const before = place.value;
    place.replaceChildren(new Option("every track", ""), ...tracks.map(({ id, name }) => new Option(name, id)));
    if (tracks.some(({ id }) => id === before)) place.value = before;
  }

  #act(id) {
    if (id === "live-open") this.panel.hidden ? this.#open() : this.#close();
    else if (id === "live-close") this.#close();
    else if (id === "live-start") this.#session || this.#starts ? this.#stop() : this.#start();
    else if (id === "live-keep") this.#keep();
  }

  #open() {
    this.panel.hidden = false;
    this.#show();
    this.panel.querySelector("#live-start").focus({ preventScroll: true });
  }

  #close() {
    this.panel.hidden = true;
    this.find("#live-open")?.focus({ preventScroll: true });
  }

  get #source() {
    return this.panel.querySelector("#live-source").value;
  }

  #device() {
    if (this.#source === "tab") return new TabSound({ onLost: () => this.#lost() });
    if (this.#source === "microphone") return null;
    const { url } = transport.audio.dataset;
    if (!url) throw new Refused(0, NO_SOUND);
    return new RehearsalMicrophone({ url, late: 0, noise_db: -70, drift_ppm: 20, loops: true });
  }

  /** Listen, and let what is heard move the stage. */
  async #start() {
    this.#starts = true;
    this.#show();
    const began = await telling(async () => {
      await this.microphone.open(this.#device());
      await this.#begin();
      return this.#starts;
    });
    if (began) hush();
    else this.#stop();
    this.#starts = false;
    if (!began) return;
    this.#feed();
    this.#show();
    this.#meter();
  }

  /** Ask for a session, and feed it. */
  async #begin() {
    const channels = CHANNELS[this.#source];
    const track = this.panel.querySelector("#live-place").value;
    this.#session = await postJson(project.url("live"), { rate_hz: RATE, channels, track });
    this.#standing = { curves: {}, parts: {}, arrays: {} };
    this.#delays = [];
    this.#address();
    this.#lags(this.#session.words);
  }

  /** Let a worker send what is heard: the page may be busy drawing meanwhile. */
  #feed() {
    this.#worker = new Worker(new URL("live_worker.js", import.meta.url), { type: "module" });
    this.#worker.onmessage = ({ data }) => this.#answered(data);
    this.#address();
    const { port1, port2 } = new MessageChannel();
    const headers = { Accept: "application/json", "X-CSRF-Token": token(), "Content-Type": "application/octet-stream" };
    this.#worker.postMessage({ port: port1, headers, rate: project.status.rate, hz: RATE, channels: CHANNELS[this.#source] }, [port1]);
    this.microphone.handTo(port2);
  }

  /** Say where samples go now: the session, and the revision that the page shows. */
  #address() {
    this.#worker?.postMessage({ url: project.url(`live/${this.#session.id}`), revision: project.status.revision });
  }

  /** A session that the application forgot is asked for anew; anything else that goes wrong ends it. */
  async #answered({ status, body, heardAt, cameAt }) {
    if (!this.#session) return;
    if (status === 200) return this.#stand(unpack(body), { heardAt, cameAt });
    const words = status ? JSON.parse(new TextDecoder().decode(body)) : UNREACHABLE;
    const began = status === GONE && (await telling(() => this.#begin().then(() => true)));
    if (began) return;
    if (status !== GONE) notice(new Refused(status, words).message);
    this.#stop();
  }

  #lost() {
    if (!this.#session) return;
    this.#stop();
    notice("What was listened to is gone. Plug it in or share it again, then start again.");
  }

  /** The stage stands as an answer says. */
  #stand({ head, arrays }, { heardAt, cameAt }) {
    if (head.words) this.#lags(head.words);
    if (!head.curves) return;
    const standing = this.#standing;
    const { rate } = project.status;
    standing.curves = Object.fromEntries(Object.entries(head.curves).map(([target, { kind, values }]) => [target, { kind, values: arrays[values] }]));
    Object.assign(standing.parts, head.parts);
    for (const [id, properties] of Object.entries(head.pieces)) standing.arrays[id] = withRows(standing.arrays[id], properties, arrays);
    if (isStale({ cameAt, drawnAt: this.#drawnAt, now: sharedNow() })) return;
    this.#next = { heardAt, standing: { ...standing, frame: head.frames - 1, seconds: (head.frame * rate[1]) / rate[0] } };
    if (!this.#isDrawn) this.#draw();
  }

  /** Draw the newest of what came: at once, or with the next picture of the screen where this one has something new already. */
  #draw() {
    const next = this.#next;
    this.#next = null;
    if (!next || !this.#session || this.signal.aborted) return;
    this.#isDrawn = true;
    requestAnimationFrame(() => {
      this.#isDrawn = false;
      this.#draw();
    });
    this.onStand(next.standing);
    this.#drawnAt = sharedNow();
    this.#delays.push(this.#drawnAt - next.heardAt);
    if (this.#delays.length > LOOKS) this.#delays.shift();
  }

  #lags(words) {
    const list = this.panel.querySelector("#live-lags");
    list.replaceChildren(
      ...lagLines(words).map(([late, name, more]) => {
        const line = document.createElement("li");
        line.append(...[["b", name], ["span", late], ["small", more]].filter(([, text]) => text).map(([tag, text]) => Object.assign(document.createElement(tag), { textContent: text })));
        return line;
      }),
    );
    this.panel.querySelector("#live-nothing").hidden = words.moves > 0;
  }

  #show() {
    const is = this.#session !== null;
    const { panel } = this;
    panel.dataset.state = is ? "on" : "off";
    panel.querySelector("#live-start").textContent = is || this.#starts ? "Stop" : "Start";
    panel.querySelector("#live-start").setAttribute("aria-pressed", String(is));
    panel.querySelector("#live-keep").disabled = !is;
    for (const field of panel.querySelectorAll("select")) field.disabled = is || this.#starts;
    this.find("#live-open")?.setAttribute("aria-pressed", String(is));
    if (!is) panel.querySelector("#live-words").textContent = this.#starts ? "Opening" : "";
  }

  /** Draw how loud it is, and say how soon it is seen. */
  #meter() {
    if (!drawMeter(this.panel.querySelector("canvas"), this.microphone, { edge: 1 }) || !this.#session) return;
    if (performance.now() - this.#told > TELL_MS) this.#tell();
    requestAnimationFrame(() => this.#meter());
  }

  #tell() {
    this.#told = performance.now();
    const ms = middle(this.#delays);
    this.panel.querySelector("#live-words").textContent = Number.isFinite(ms) ? `${ms.toFixed(0)} ms from sound to picture` : "Listening";
  }

  #stop({ quietly = false } = {}) {
    this.#starts = false;
    const session = this.#session;
    this.#session = null;
    this.#worker?.terminate();
    this.#worker = null;
    this.microphone.close();
    if (session) postLast(project.url(`live/${session.id}/close`), {});
    if (quietly) return;
    this.#show();
    if (session) this.onStand(null);
  }

  /** What came last becomes a track, which can move what was moved live. */
  async #keep() {
    if (!this.#session) return;
    const at = (transport.frame * transport.rate[1]) / transport.rate[0];
    const stored = await telling(() => project.bring(() => postJson(project.url(`live/${this.#session.id}/keep?at_s=${at}`))));
    if (!stored) return;
    const { named, moves, ...status } = stored;
    await project.came(status);
    const other = moves && { words: "Let it move the stage", run: () => project.edit(moves) };
    notice(`It is the track ${named} now.`, { tone: "good", act: { words: "Take back", run: () => project.undo() }, other });
  }
}
