// What Python has computed for the Bench: lanes, curves and how parts show; as stored, and as an edit would make them.

import { notice, telling } from "./notices.js";
import { unpackedMotion } from "./pieces.js";
import { project } from "./project.js";
import { getPack, latest, postPack } from "./server.js";

const ARRAYS = ["level", "value", "histogram", "transfers", "sum", "traces"];

export class Motion {
  lanes = {};
  curves = {};
  parts = {};
  arrays = {};
  #revision = null;
  #previewed = new Set();
  #before = null; // what is stored, while something is peeked at
  /** What is tried or peeked at, and which load was the last then. @type {{ again: () => any, loads: number } | null} */
  #tried = null;
  #loads = 0;

  /**
   * looked() says how it is looked at, as a query: one mapping alone, with the traces of steps. onTake(head) hears of whatever
   * came in, onPreview(ids, at) of lanes as an edit would make them, onRestore() when those are as stored again.
   */
  constructor({ looked, onTake, onPreview, onRestore, signal }) {
    this.looked = looked;
    this.onTake = onTake;
    this.onPreview = onPreview;
    this.onRestore = onRestore;
    this.signal = signal;
  }

  #url(path, more = {}) {
    const query = new URLSearchParams({ ...this.looked(), ...more });
    return project.url(query.size ? `${path}?${query}` : path);
  }

  /** Load everything, or after an edit only what it changed and what previews have drawn over. */
  async load({ changed = false } = {}) {
    const mine = (this.#loads += 1);
    const also = [...this.#previewed];
    const since = changed ? this.#revision : null;
    try {
      const pack = await getPack(this.#url("curves", since === null ? {} : { since, also }));
      if (mine !== this.#loads || this.signal.aborted) return; // a later one knows all that this does
      for (const id of also) this.#previewed.delete(id);
      if (this.#before) Object.assign(this, this.#before); // what is peeked at lies over what was stored before
      this.#before = null;
      this.#take(pack, { whole: since === null });
      this.#revision = pack.head.revision;
      if (this.#tried?.loads === mine) this.#tried.again(); // tried since this was asked: it is seen on what came
      else this.#tried = null;
    } catch (wrong) {
      notice(wrong.message);
    }
  }

  /** Take a packed answer in: all of it, or what an edit changes. */
  #take({ head, arrays }, { whole }) {
    if (whole) Object.assign(this, { lanes: {}, curves: {}, parts: {}, arrays: {} });
    for (const [id, found] of Object.entries(head.lanes)) {
      const lane = { ...found, ...Object.fromEntries(ARRAYS.map((name) => [name, arrays[found[name]]])) };
      lane.level ??= this.lanes[id].level; // an edit that leaves the level alone does not send it again
      this.lanes[id] = lane;
    }
    if (head.all) {
      const [lanes, curves] = [new Set(head.all.lanes), new Set(head.all.curves)];
      for (const id of Object.keys(this.lanes)) if (!lanes.has(id)) delete this.lanes[id];
      for (const target of Object.keys(this.curves)) if (!curves.has(target)) delete this.curves[target];
    }
    for (const [target, found] of Object.entries(head.curves)) this.curves[target] = { kind: found.kind, values: arrays[found.values] };
    Object.assign(this.parts, head.parts);
    for (const [id, moved] of Object.entries(head.pieces)) this.arrays[id] = unpackedMotion(moved, arrays);
    this.onTake(head);
  }

  #ask = latest(async (body, { at, still }) => {
    if (!still()) return;
    const pack = await telling(() => postPack(this.#url("preview"), body));
    if (!pack || this.signal.aborted || !still()) return;
    this.#take(pack, { whole: false });
    const ids = Object.keys(pack.head.lanes);
    for (const id of ids) this.#previewed.add(id);
    this.onPreview(ids);
    if (at !== undefined) requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("ft:drawn", { detail: performance.now() - at })));
  });

  /** Show what an edit would make, while the hand is at it; at is when the pointer moved. */
  preview(command, at) {
    const loads = this.#loads;
    this.#tried = { again: () => this.preview(command), loads };
    return this.#ask({ command }, { at, still: () => loads === this.#loads });
  }

  /** Show what could be picked without taking it, or with null again what is stored. */
  peek(body) {
    const tried = (this.#tried = body && { again: () => this.peek(body), loads: this.#loads });
    if (body) {
      this.#before ??= { lanes: { ...this.lanes }, curves: { ...this.curves }, arrays: { ...this.arrays } };
      this.#ask(body, { still: () => this.#tried === tried });
    } else if (this.#before) {
      Object.assign(this, this.#before);
      this.#before = null;
      this.onRestore();
    }
  }
}
