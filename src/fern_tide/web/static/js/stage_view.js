// The stage of a room, 2D or 3D: one face for both. The 3D view is loaded only where it is needed.

import { telling } from "./notices.js";
import { project } from "./project.js";
import { redrawRoom } from "./selection.js";
import { getJson, getPack, getText, newest } from "./server.js";
import { Stage2d } from "./stage.js";

/** When a frame of the project begins. */
function secondsOf(frame) {
  const [top, bottom] = project.status.rate;
  return (frame * bottom) / top;
}

export class StageView {
  /** Ends when what was edited last is seen, in the room's panels too: who has the stage says when. */
  shown = Promise.resolve();
  #followed = Promise.resolve();
  #bound = { curves: {}, parts: {}, arrays: {} };
  #frame = 0;
  #seconds = 0;
  #isOpen = false;
  #waits = false; // for the arrays that what is bound is of
  #newest = null;
  view = null;

  constructor(root, { prefix, signal }) {
    this.root = root;
    /** Hears of a scene that is drawn. @type {(() => void) | null} */
    this.onReady = null;
    this.prefix = prefix;
    this.signal = signal;
    this.looks = project.status.looks;
    this.pieces = project.status.pieces;
    this.space = root.dataset.kind ?? "2d";
    this.ready = this.#open().then(() => (this.#isOpen = true));
    signal.addEventListener("abort", () => this.view?.dispose());
  }

  async #open() {
    if (this.space === "2d") {
      this.view = new Stage2d(this.root, { prefix: this.prefix });
      await this.#loadArrays();
      return;
    }
    const made = await telling(async () => {
      const { Stage3d } = await import("./stage3d.js");
      if (this.signal.aborted) return null;
      return new Stage3d(this.root, project.status.shown);
    });
    if (!made) return;
    this.view = made;
    await telling(() => this.#load());
    made.bind(this.#bound);
    made.show(this.#frame, this.#seconds);
    this.onReady?.();
  }

  /** What is known of the scene's arrays; null where it has none. */
  async #arrays() {
    return project.status.pieces ? getPack(project.url("stage/arrays")) : null;
  }

  /** Load the scene of a 3D stage. */
  async #load() {
    return this.view.load(project.url(`stage/scene.glb?looks=${this.looks}`), await this.#arrays());
  }

  /** Load what arrays there are. */
  async #loadArrays() {
    this.#waits = true;
    const pack = await telling(() => this.#arrays());
    this.#waits = false;
    if (this.signal.aborted) return;
    this.view.bind(this.#bound);
    this.view.loadArrays(pack ?? null); // what it says of parts is newer
    this.view.show(this.#frame, this.#seconds);
  }

  bind({ curves, parts, arrays }) {
    if (project.status.space !== this.space) return; // it is of a stage of another kind, for which the room is drawn anew
    this.#bound = { curves, parts, arrays };
    if (!this.#waits) this.view?.bind(this.#bound);
  }

  /** Whether it is moved as a sound comes: what is shown then is drawn at once, not with the next picture. */
  hurry(is) {
    if (this.view && this.view.hurried !== is) this.view.hurry?.(is);
  }

  drawNow() {
    this.view?.renderNow?.();
  }

  /** Show a frame of what is bound; motion that a file came with is shown as it is then, or at given seconds. */
  show(frame, seconds = secondsOf(frame)) {
    this.#frame = frame;
    this.#seconds = seconds;
    if (!this.#waits) this.view?.show(frame, seconds);
  }

  /** Draw the scene anew when it looks otherwise, one time after the other; one that is of another kind needs the whole room. */
  follow(status) {
    this.#newest = status;
    const next = () => this.#follow(this.#newest);
    this.#followed = this.#followed.then(next, next);
    return this.#followed;
  }

  async #follow({ looks, space, shown, pieces }) {
    if (this.signal.aborted) return;
    if (space !== this.space) {
      redrawRoom();
      return;
    }
    if (this.space === "3d") this.view?.furnish(shown);
    const [same, stand] = [looks === this.looks, pieces === this.pieces];
    if (same && stand) return;
    Object.assign(this, { looks, pieces });
    if (!this.#isOpen) await this.ready;
    if (!this.view) return;
    if (same) {
      await this.#loadArrays();
      this.onReady?.();
      return;
    }
    if (this.space === "3d") await telling(() => this.#load());
    else {
      const text = await telling(() => getText(project.url("stage/drawing")));
      if (text === undefined || this.signal.aborted) return;
      this.view.replace(text);
      await this.#loadArrays();
    }
    this.view.show(this.#frame, this.#seconds);
    this.onReady?.();
  }

  /** The parts whose values the hand had since the scene was drawn. */
  get handled() {
    return [...new Set([...(this.view?.tried ?? [])].map((target) => target.split(":")[0]))];
  }

  #askPart = newest((node) => telling(() => getJson(project.url(`stage/node/${node}`))));

  /** The part of what was picked in the view; undefined where that is not known, or something else was picked meanwhile. */
  async partOf(hit) {
    return typeof hit === "string" ? hit : (await this.#askPart(hit.node))?.part;
  }

  /** Take over how the scene looks now, since the hand has brought the view there already. */
  adopt(looks) {
    this.looks = looks;
  }
}
