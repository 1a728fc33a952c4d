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
  #takes = 0; // what was tried before the last is over
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

  /** Take a stored level in, or that there is none. */
  take(pack) {
    this.#takes += 1;
    this.#before = null;
    this.#level = pack && levelOf(pack);
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
    const takes = this.#takes;
    if (isOfLevel(command)) this.#ask(command, at, () => takes === this.#takes);
  }

  /** Show what could be picked without taking it, or with null again what is stored. */
  peek(body) {
    if (body) {
      this.#before ??= this.#level;
      this.#ask(body.command, undefined, () => this.#before !== null);
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
