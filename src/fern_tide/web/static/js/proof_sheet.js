// Frames of a drawing that are opened as one picture: a browser takes long to open a picture of an SVG, and longer the more it has opened.

const BESIDE = 3; // frames of a sheet
const NONE = () => {};
/** What the ids of a drawing begin with. */
export const PREFIX = "stage-";
export const UNDRAWN = "The picture could not be drawn.";
const NAMED = new RegExp(`(\\sid="|href="#|url\\(#|url\\(&quot;#)${PREFIX}`, "g");
const IDLE = / (?:transform="(?:rotate\(0\)|scale\(1 1\))"|opacity="1")/g;
const HAZE = /<filter id="([^"]+--filter)".*?<\/filter>/gs;

/** A frame's drawing without what does nothing in it: moves that move nothing, blurs that nothing goes through. Pure. */
export const lean = (text) =>
  text.replace(HAZE, (filter, id) => (text.includes(`#${id}`) ? filter : "")).replace(/<[^>]+>/g, (tag) => tag.replace(IDLE, "")); // words are left alone

/** A frame's drawing as one of several in a sheet: below those before it, its ids its own. Pure. */
export function tileOf(text, { at, height }) {
  const own = text.replace(/<[^>]+>/g, (tag) => tag.replace(NAMED, `$1${PREFIX}${at}-`)); // words are left alone
  return own.replace("<svg", `<svg y="${at * height}"`);
}

/** Open SVG text as a picture. */
export async function pictureOf(text, width, height) {
  const url = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  const image = new Image(width, height);
  try {
    image.src = url;
    await image.decode();
  } finally {
    URL.revokeObjectURL(url);
  }
  return image;
}

/** What is drawn on an image or a canvas, or a part of it, as a picture; a browser has words of its own for what goes wrong. */
export async function takenFrom(...drawn) {
  try {
    return await createImageBitmap(.../** @type {[any]} */ (drawn));
  } catch {
    throw new Error(UNDRAWN);
  }
}

/**
 * Frames that are opened as one picture, one below the other. A browser draws each beside the page, a few at once; but what is half
 * seen through comes out too dense in some of them (Chromium 156), so that those without a background are drawn by the page itself.
 */
export class Sheet {
  #pictures = [];

  constructor(frames, image, { width, height, clear }) {
    this.frames = frames;
    this.image = image;
    this.width = width;
    this.height = height;
    this.clear = clear;
    if (!clear) this.#begin(0);
  }

  /** Open drawings of frames. @param {number[]} frames @param {string[]} texts @param {any} stage @param {string} under a picture */
  static async of(frames, texts, { rules, width, height, clear, background }, under = "") {
    const tall = height * texts.length;
    const below = (at) => (under ? `<use href="#under" y="${at * height}"/>` : "");
    const tiles = texts.map((text, at) => below(at) + tileOf(lean(text), { at, height }));
    const image = `<defs><image id="under" width="${width}" height="${height}" href="${under}"/></defs>`;
    const ground = under ? image : clear ? "" : `<rect width="${width}" height="${tall}" fill="${background}"/>`;
    const all = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${tall}"><style>${rules}</style>${ground}${tiles.join("")}</svg>`;
    return new Sheet(frames, await pictureOf(all, width, tall), { width, height, clear });
  }

  #begin(first) {
    for (let at = first; at < Math.min(first + BESIDE, this.frames.length); at += 1) {
      if (this.#pictures[at]) continue;
      this.#pictures[at] = takenFrom(this.image, 0, at * this.height, this.width, this.height);
      this.#pictures[at].catch(NONE); // it is waited for in its turn
    }
  }

  /** A frame as a picture of its own, once. */
  taken(at) {
    this.#begin(at);
    return this.#pictures[at];
  }

  /** Draw a frame into a canvas of its size, once. */
  async draw(context, at) {
    const { image, width, height } = this;
    if (this.clear) {
      context.drawImage(image, 0, at * height, width, height, 0, 0, width, height);
      return;
    }
    const picture = await this.taken(at);
    context.drawImage(picture, 0, 0);
    picture.close();
  }
}
