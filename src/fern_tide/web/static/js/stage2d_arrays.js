// Arrays in the 2D stage: the drawing holds an element for every piece, or one of dots where there are very many.

import { ArrayViews, asked, flying, freeReaches, getterOf } from "./array_views.js";
import { inOrder, mixedColour, reachesOf } from "./pieces.js";
import { pieceTransform } from "./placing.js";

const NAMES = ["x", "y", "turn", "scale_x", "scale_y"].map((name) => `piece_${name}`);

/** Write an attribute where it changes. */
const write = (element, name, text) => element.getAttribute(name) !== text && element.setAttribute(name, text);

class Pieces {
  #order = null;
  places = null;

  constructor(field, group) {
    this.field = field;
    this.group = group;
    this.elements = [...group.children];
    this.dots = field.pieces > 1 && this.elements.length === 1 ? this.elements[0] : null;
  }

  show(frame, { valueOf, history, live, own, motion, tried, drives }) {
    const { field } = this;
    Object.assign(this, { valueOf, drives });
    const { places, sizes, shares } = flying(field, frame, { valueOf, history, live });
    const reach = reachesOf(field, places, valueOf);
    this.places = places;
    const each = (name) => getterOf(name, { field, frame, reach, motion, tried, own });
    const getters = NAMES.map(each);
    if (this.dots) this.#showDots(places, getters);
    else this.#place(places, getters, { sizes, shares, opacity: each("piece_opacity"), colours: field.coloured && ["piece_colour", "piece_last_colour"].map(each) });
  }

  #showDots(places, getters) {
    const [x, y] = getters;
    let data = "";
    for (let piece = 0; piece < this.field.pieces; piece += 1) data += `M${(places[3 * piece] + asked(x, piece)).toFixed(1)} ${(places[3 * piece + 1] + asked(y, piece)).toFixed(1)}h0`;
    this.dots.setAttribute("d", data);
  }

  #place(places, getters, { sizes, shares, opacity, colours }) {
    const { field } = this;
    this.elements.forEach((element, piece) => {
      const facing = field.turns ? field.turns[3 * piece + 2] : 0;
      const values = getters.map((get) => asked(get, piece));
      if (sizes) for (const at of [3, 4]) values[at] *= sizes[piece];
      write(element, "transform", pieceTransform([places[3 * piece], places[3 * piece + 1]], facing, field.anchors[field.source[piece]], values));
      write(element, "opacity", String(asked(opacity, piece)));
      if (colours) write(element, "fill", mixedColour(asked(colours[0], piece), asked(colours[1], piece), shares[piece]));
    });
  }

  pick(element) {
    const piece = this.elements.indexOf(element?.closest("g"));
    return piece < 0 || this.dots ? null : piece;
  }

  line(most, tried) {
    if (this.dots || !this.places || this.field.thrown) return null;
    if (this.#order?.most !== most) this.#order = { most, pieces: inOrder(this.field, most) };
    return (tried ?? this.#order.pieces).map((piece) => {
      const { left, top, width, height } = this.elements[piece].getBoundingClientRect();
      return { x: left + width / 2, y: top + height / 2 };
    });
  }

  reaches() {
    const matrix = this.group.getScreenCTM();
    return freeReaches(this.field, this.drives).map(({ name }) => {
      const { x, y } = new DOMPoint(this.valueOf(`${name}_x`), this.valueOf(`${name}_y`)).matrixTransform(matrix);
      return { name, middle: { x, y } };
    });
  }

  /** @type {(name: string) => any} */
  valueOf = () => 0;
  /** @type {(name: string) => boolean} */
  drives = () => false;
}

/** The arrays of a drawing. */
export class Pieces2d extends ArrayViews {
  /** element(id, slot) gives the drawing's. */
  make(pack, element) {
    return this.makeEach(pack, (id, field) => {
      const group = element(id, "pieces"); // while a newer drawing is on its way it may be of other pieces, or of none
      return [1, field.pieces].includes(group?.childElementCount) ? new Pieces(field, group) : null;
    });
  }

  /** A point of the screen as an array counts it. */
  toOwn(id, { x, y }) {
    const at = new DOMPoint(x, y).matrixTransform(this.views.get(id).group.getScreenCTM().inverse());
    return [at.x, at.y];
  }
}
