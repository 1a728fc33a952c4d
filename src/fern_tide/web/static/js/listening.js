// Hearing one band of a track alone, and the bands that are suggested for it.

import { envelopeJson, trackJson } from "./binding.js";
import { telling } from "./notices.js";
import { project } from "./project.js";
import { getJson } from "./server.js";
import { transport } from "./transport.js";

/** Mount what is heard and suggested; `take` reads a band that was suggested. */
export function mountListening({ parts, find, state, take }) {
  async function suggest() {
    const found = await telling(() => getJson(project.url(`tracks/${state.track}/bands`)));
    if (!found) return;
    state.suggested = { track: state.track, bands: found.bands };
    showSuggested();
  }

  function showSuggested() {
    const place = find("#suggested");
    if (!place || state.suggested?.track !== state.track) return;
    find("#band-hint").hidden = true;
    const { bands: suggested } = state.suggested;
    const pill = (words, title, run) => {
      const button = document.createElement("button");
      Object.assign(button, { type: "button", className: "pill text-11! px-2! py-0.5!", textContent: words, title, onclick: run });
      return button;
    };
    place.replaceChildren(
      ...suggested.flatMap(({ name, low_hz, high_hz }) => {
        const on = () => state.listening?.low === low_hz && state.listening.high === high_hz;
        const hear = pill("hear", `Hear ${low_hz} to ${high_hz} Hz of this track`, () => listen(on() ? null : { low: low_hz, high: high_hz }));
        hear.dataset.hear = `${low_hz}-${high_hz}`;
        return [pill(`${name} ${low_hz}-${high_hz}`, "Read this band", () => take({ name, low: low_hz, high: high_hz })), hear];
      }),
    );
    paintListening();
    if (!suggested.length) place.textContent = "This track is silent.";
  }

  /** Hear one band of a track alone: { envelope } as it is tuned, or { low, high } as suggested; with null the mix again. */
  async function listen(to, { play = true } = {}) {
    state.listening = to;
    if (!to) {
      paintListening();
      await transport.listen(null);
      return;
    }
    const { track = state.track, reading } = to.envelope ? envelopeJson(to.envelope) : {};
    const number = (name) => Number(find(`#reading-${name}`)?.value ?? reading.params[name]);
    const [low, high] = to.envelope ? [number("low_hz"), number("high_hz")] : [to.low, to.high];
    const at = `${project.standing.frames}-${trackJson(track)?.offset_samples}`;
    paintListening();
    await transport.listen(project.url(`tracks/${track}/band.wav?low=${low}&high=${high}&at=${at}`));
    if (play && !transport.playing) transport.play();
  }

  function paintListening() {
    const { envelope, low, high } = state.listening ?? {};
    const press = (button, on) => button.setAttribute("aria-pressed", String(on));
    if (find("#listen")) press(find("#listen"), envelope !== undefined && envelope === state.envelope);
    for (const button of parts.querySelectorAll("[data-hear]")) press(button, button.dataset.hear === `${low}-${high}`);
  }

  /** What is heard alone follows what is tuned; another envelope or track lets the mix sound again. */
  function keepListening(trackBefore) {
    if (!state.listening) return;
    const stays = state.listening.envelope ? find("#listen") && state.listening.envelope === state.envelope : state.track === trackBefore;
    listen(stays ? state.listening : null, { play: false });
  }

  return { suggest, showSuggested, listen, keepListening };
}
