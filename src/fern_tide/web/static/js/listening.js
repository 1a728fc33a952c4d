// Hearing one band of a track alone, and the bands that are suggested for it.

import { Component } from "./component.js";
import { telling } from "./notices.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { getJson } from "./server.js";
import { transport } from "./transport.js";

export class Listening extends Component {
  #suggested = null;
  #heard = null;

  /** @param {any} root @param {AbortSignal} signal */
  constructor(root, signal) {
    super(root, signal);
    this.on(root, "click", ({ target }) => this.#pressed(target.closest("button")));
  }

  #pressed(button) {
    if (button?.id === "suggest-bands") this.#suggest();
    else if (button?.id === "listen") this.#listen(button.getAttribute("aria-pressed") === "true" ? null : { envelope: selection.get("envelope") });
    else if (button?.dataset.hear) this.#listenTo(button.dataset.hear);
  }

  async #suggest() {
    const track = selection.get("track");
    const answer = await telling(() => getJson(project.url(`tracks/${track}/bands`)));
    if (!answer) return;
    this.#suggested = { track, bands: answer.bands };
    this.#showSuggested();
  }

  #showSuggested() {
    const place = this.find("#suggested");
    if (!place || this.#suggested?.track !== selection.get("track")) return;
    const { bands, track } = this.#suggested;
    this.find("#band-hint").hidden = true;
    place.replaceChildren(...bands.flatMap((band) => this.#pills(band, track)));
    this.#paint();
    if (!bands.length) place.textContent = "This track is silent.";
  }

  /** A suggested band: one press reads it, another one lets it be heard. */
  #pills({ name, low_hz, high_hz }, track) {
    const pill = (textContent, title, dataset) => {
      const button = Object.assign(document.createElement("button"), { type: "button", className: "pill text-11! px-2! py-0.5!", textContent, title });
      Object.assign(button.dataset, dataset);
      return button;
    };
    const command = { kind: "add_envelope", name, track, reading: { id: this.find("#bands").dataset.reading, params: { low_hz, high_hz } } };
    return [
      pill(`${name} ${low_hz}-${high_hz}`, "Read this band", { command: JSON.stringify(command) }),
      pill("hear", `Hear ${low_hz} to ${high_hz} Hz of this track`, { hear: `${low_hz}-${high_hz}` }),
    ];
  }

  #listenTo(text) {
    const [low, high] = text.split("-").map(Number);
    const on = this.#heard?.low === low && this.#heard.high === high;
    this.#listen(on ? null : { low, high });
  }

  /** Hear one band of a track alone: { envelope } as it is tuned, or { low, high } as suggested; with null the mix again. */
  async #listen(to, { play = true } = {}) {
    this.#heard = to;
    this.#paint();
    if (!to) {
      await transport.listen(null);
      return;
    }
    const track = (to.envelope && this.find("#envelope-track")?.value) || selection.get("track");
    const [low, high] = to.envelope ? ["low_hz", "high_hz"].map((name) => Number(this.find(`#reading-${name}`).value)) : [to.low, to.high];
    const at = `${project.status.frames}-${this.find(`[data-row="${track}"]`)?.dataset.offset}`;
    await transport.listen(project.url(`tracks/${track}/band.wav?low=${low}&high=${high}&at=${at}`));
    if (play && !transport.playing) transport.play();
  }

  #paint() {
    const { envelope, low, high } = this.#heard ?? {};
    const press = (button, on) => button.setAttribute("aria-pressed", String(on));
    if (this.find("#listen")) press(this.find("#listen"), envelope !== undefined && envelope === selection.get("envelope"));
    for (const button of this.all("[data-hear]")) press(button, button.dataset.hear === `${low}-${high}`);
  }

  /** The page was drawn anew. What is heard alone follows what is tuned; another envelope or track lets the mix sound again. */
  mount(trackBefore) {
    this.#showSuggested();
    if (!this.#heard) return;
    const { envelope } = this.#heard;
    const stays = envelope ? this.find("#listen") && envelope === selection.get("envelope") : selection.get("track") === trackBefore;
    this.#listen(stays ? this.#heard : null, { play: false });
  }
}
