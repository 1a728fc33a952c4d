// The arrays of a scene as a stage shows them, in 2D or 3D: which there are, and what each is told at a frame.

import { placesOf, unpacked, valueOfPiece } from "./pieces.js";
import { flightsOf } from "./throw.js";

/** Where the pieces of a field are at a frame; of those that are thrown their sizes and ages too. Live, only the last frames are known. */
export function flying(field, frame, { valueOf, history, live }) {
  if (!field.thrown) return { places: placesOf(field, valueOf), sizes: null, shares: field.ranks };
  const driven = Object.fromEntries(field.thrown.names.map((name) => [name, history(name)]));
  const { places, sizes, ages } = flightsOf(live ? { ...field.thrown, ...live } : field.thrown, frame, driven);
  return { places, sizes, shares: ages };
}

/** A getter of each piece's value, or the one value that all of them have. */
export function getterOf(name, { field, frame, reach, motion, tried, own }) {
  const held = tried(name);
  const moved = held === undefined && motion(name);
  return moved ? (piece) => valueOfPiece(moved, field, piece, frame, reach ? reach[piece] : 1) : (held ?? own[name]);
}

/** What a getter, or a value, gives for a piece. */
export const asked = (get, piece) => (typeof get === "function" ? get(piece) : get);

/** The reaches of a field that the hand can move: nothing drives their places. */
export const freeReaches = (field, drives) => field.reaches.filter(({ name }) => !["x", "y", "z"].some((axis) => drives(`${name}_${axis}`)));

export class ArrayViews {
  views = new Map();
  motions = {};
  /** Own values of the very state that pieces are laid out by; all else that is known may be of another for a moment. */
  #own = {};

  /** Make them anew from what the server packed, each by create(id, field); gives the heads of their parts. */
  makeEach(pack, create) {
    for (const view of this.views.values()) view.leave?.();
    this.views.clear();
    for (const [id, field] of Object.entries(pack?.head.fields ?? {})) {
      const view = create(id, unpacked(field, pack.arrays));
      if (view) this.views.set(id, view);
    }
    const parts = pack?.head.parts ?? {};
    this.#own = Object.fromEntries(Object.entries(parts).map(([id, { own }]) => [id, own]));
    return parts;
  }

  show(frame, { heads, curves, tries, valueOf }) {
    for (const [id, view] of this.views) {
      const drives = (name) => `${id}:${name}` in curves;
      const motion = (name) => (drives(name) ? this.motions[id]?.[name] : undefined);
      const own = { ...this.#own[id], ...heads[id].own };
      const value = valueOf(id);
      const history = (name) => tries.get(`${id}:${name}`) ?? curves[`${id}:${name}`]?.values ?? own[name];
      view.show(frame, { live: this.motions[id]?.thrown, history, own, motion, valueOf: (name) => value(name) ?? own[name], drives, tried: (name) => tries.get(`${id}:${name}`) });
    }
  }

  /** The piece of one that is under the hand, or null. */
  pick(id, under) {
    return this.views.get(id)?.pick(under) ?? null;
  }

  /** The reaches of one that the hand can move: their names, and where their middles are. */
  reaches(id) {
    return this.views.get(id)?.reaches() ?? [];
  }

  /** Where the pieces of one are, in their order, or those of a list that is tried; null of a part that is none. */
  line(id, most, tried) {
    const view = this.views.get(id);
    const fits = tried?.every((piece) => piece < view?.field.pieces); // it may have been tried of fewer or more
    return view?.line(most, fits ? tried : undefined) ?? null;
  }
}
