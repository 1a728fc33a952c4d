// The trace of the shown envelope: as it is stored, as an edit would make it, or as something pointed at would.

import { Component } from "./component.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { latest, postPack } from "./server.js";
import { drawLevel, levelOf } from "./trace.js";
import { transport } from "./transport.js";

/** Whether a command may make another level. Pure. */
export const isOfLevel = ({ kind, owner, commands }) => owner === "envelope" || kind === "add_envelope" || Boolean(commands?.some(isOfLevel));

export class EnvelopeTrace extends Component {
  #level = null;
  #before = null;
  #asked = 0; // how often what is stored was asked for
  /** What is tried or peeked at, and how often what is stored was asked for by then. @type {{ again: () => any, asked: number } | null} */
  #tried = null;
  #envelope = null;

  /**
   * @param {any} root
   * @param {AbortSignal} signal
   * @param {{ axis: any, onLevel: (at?: number) => any, waits: (wrong: any) => any }} how onLevel(at) hears of a level that a
   *   pointer asked for when it moved; waits(wrong) of one that cannot be given
   */
  constructor(root, signal, { axis, onLevel, waits }) {
    super(root, signal);
    this.axis = axis;
    this.onLevel = onLevel;
    this.waits = waits;
  }

  /** Another envelope is shown: its level is to come. */
  show(envelope) {
    if (envelope !== this.#envelope) this.#level = null;
    this.#envelope = envelope;
  }

  /** What is stored is asked for: what was tried until now is over when it comes. */
  asks() {
    this.#asked += 1;
  }

  /** Take a stored level in, or that there is none; what was tried since it was asked for is seen on it. */
  take(pack) {
    this.#before = null;
    this.#level = pack && levelOf(pack);
    if (this.#tried?.asked === this.#asked) this.#tried.again();
    else this.#tried = null;
  }

  #ask = latest(async (command, at, still) => {
    const pack = await postPack(project.url(`envelopes/preview?envelope=${selection.get("envelope") ?? ""}`), { command }).catch(this.waits);
    if (!pack || this.signal.aborted || !still()) return;
    this.#level = levelOf(pack);
    this.onLevel(at);
  });

  /** The hits that the level is made of, in frames; null where it is made of none. */
  get hits() {
    return this.#level?.hits ?? null;
  }

  /** Show the level as an edit would make it; at is when the pointer moved. */
  preview(command, at) {
    if (!isOfLevel(command)) return;
    const asked = this.#asked;
    this.#tried = { again: () => this.preview(command), asked };
    this.#ask(command, at, () => asked === this.#asked);
  }

  /** Show what could be picked without taking it, or with null again what is stored. */
  peek(body) {
    const tried = (this.#tried = body && { again: () => this.peek(body), asked: this.#asked });
    if (body) {
      this.#before ??= this.#level;
      this.#ask(body.command, undefined, () => this.#tried === tried);
    } else if (this.#before) {
      this.#level = this.#before;
      this.#before = null;
      this.onLevel();
    }
  }

  draw() {
    if (this.#level && this.find("#trace")) drawLevel(this.find("#envelope-panel"), this.#level, { view: this.axis.view, frame: transport.frame });
  }
}
