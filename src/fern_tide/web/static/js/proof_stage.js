// A stage of a size of its own, off the screen, that gives any frame as a picture: what proofs and stills are drawn with.

import { Motion } from "./motion.js";
import { project } from "./project.js";
import { getBytes, getText } from "./server.js";
import { StageView } from "./stage_view.js";
import { stilled } from "./stilled.js";

const FONTS = {
  Fraunces: ["fraunces", 600],
  "Instrument Sans": ["instrument-sans", 400],
  "Spline Sans Mono": ["spline-sans-mono", 400],
};
const SETS = ["latin", "latin-ext"];

/** Bytes as a data address. */
function dataUrl(bytes, type) {
  let text = "";
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  return `data:${type};base64,${btoa(text)}`;
}

/** The fonts of ours that a drawing's words are in. */
const familiesOf = (svg) => [
  ...new Set(
    [...svg.querySelectorAll("[font-family]")]
      .map((element) => element.getAttribute("font-family").split(",")[0].replace(/['"]/g, "").trim())
      .filter((family) => family in FONTS),
  ),
];

/** The rules of fonts: a picture of an SVG reaches nothing outside it. */
async function fontRules(families) {
  const rules = [];
  for (const family of families) {
    const [file, weight] = FONTS[family];
    for (const set of SETS) {
      const bytes = await getBytes(new URL(`../vendor/${file}-${set}-${weight}-normal.woff2`, import.meta.url).href);
      rules.push(
        `@font-face { font-family: "${family}"; font-weight: 100 900; src: url(${dataUrl(bytes, "font/woff2")}); }`,
      );
    }
  }
  return rules.join("");
}

/** Open SVG text as a picture. */
async function pictureOf(text, width, height) {
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

/**
 * Open fonts once, and wait until letters of them are seen: a picture of an SVG is given out before its fonts are there, without
 * its words. As long as this picture is kept, others have them at once.
 */
async function openFonts(families, rules) {
  const [width, height] = [CELL * families.length, CELL];
  const letters = families.map((family, at) => `<text x="${at * CELL}" y="${CELL - 4}" font-family="${family}" font-size="${CELL}">H</text>`);
  const image = await pictureOf(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><style>${rules}</style>${letters.join("")}</svg>`,
    width,
    height,
  );
  const canvas = Object.assign(document.createElement("canvas"), { width, height });
  const context = canvas.getContext("2d", { willReadFrequently: true });
  const isSeen = (at) => context.getImageData(at * CELL, 0, CELL, CELL).data.some(Boolean);
  for (let tries = 0; tries < MOST_TRIES; tries += 1) {
    context.drawImage(image, 0, 0, width, height);
    if (families.every((_, at) => isSeen(at))) break;
    await new Promise((done) => setTimeout(done, 10));
  }
  return image;
}

const CELL = 24; // pixels
const MOST_TRIES = 500;
const BESIDE = 3; // frames of a sheet
const NONE = () => {};
const UNDRAWN = "The picture could not be drawn.";
const PREFIX = "stage-";
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

/** What is drawn on an image or a canvas, or a part of it, as a picture; a browser has words of its own for what goes wrong. */
async function takenFrom(...drawn) {
  try {
    return await createImageBitmap(.../** @type {[any]} */ (drawn));
  } catch {
    throw new Error(UNDRAWN);
  }
}

/** Frames that are opened as one picture of an SVG, one below the other; a browser draws each beside the page, a few at once. */
class Sheet {
  #pictures = [];

  constructor(frames, image, { width, height }) {
    this.frames = frames;
    this.image = image;
    this.width = width;
    this.height = height;
    this.#begin(0);
  }

  #begin(first) {
    for (let at = first; at < Math.min(first + BESIDE, this.frames.length); at += 1) {
      if (this.#pictures[at]) continue;
      this.#pictures[at] = takenFrom(this.image, 0, at * this.height, this.width, this.height);
      this.#pictures[at].catch(NONE); // it is waited for in its turn
    }
  }

  /** A frame's picture, of which the caller disposes. */
  picture(at) {
    this.#begin(at);
    return this.#pictures[at];
  }
}

/** A queue of pictures that a worker writes as files, in their order. */
class PictureFiles {
  #waiting = [];

  constructor(signal) {
    this.worker = new Worker(new URL("picture_worker.js", import.meta.url), { type: "module" });
    this.worker.onmessage = ({ data }) => this.#waiting.shift()(data);
    this.worker.onerror = () => this.#waiting.splice(0).forEach((done) => done(null));
    signal.addEventListener("abort", () => this.worker.terminate());
  }

  /** @returns {Promise<Blob>} */
  async write(canvas, type, quality) {
    const picture = await takenFrom(canvas); // as it is now
    return new Promise((done, failed) => {
      this.#waiting.push((blob) => (blob ? done(blob) : failed(new Error(UNDRAWN))));
      this.worker.postMessage({ picture, type, quality }, [picture]);
    });
  }
}

export class ProofStage {
  /** @param {{ width: number, height: number, clear?: boolean, background?: string }} size @param {AbortSignal} signal */
  constructor({ width, height, clear = false, background = "#000000" }, signal) {
    this.width = width;
    this.height = height;
    this.clear = clear;
    this.background = background;
    this.signal = signal;
    this.rules = "";
    this.canvas = Object.assign(document.createElement("canvas"), { width, height });
    this.context = this.canvas.getContext("2d", { alpha: clear, willReadFrequently: true });
    this.files = new PictureFiles(signal);
    this.root = document.createElement("div");
    Object.assign(this.root.style, {
      position: "fixed",
      left: "-20000px",
      top: "0",
      width: `${width}px`,
      height: `${height}px`,
    });
    this.root.setAttribute("aria-hidden", "true");
    this.root.dataset.kind = project.status.space;
    if (project.status.space === "2d") this.root.append(document.createElementNS("http://www.w3.org/2000/svg", "svg")); // the drawing takes its place
    document.body.append(this.root);
    signal.addEventListener("abort", () => this.root.remove());
  }

  /** Load the scene and all that moves it. */
  async load() {
    this.stage = new StageView(this.root, { prefix: PREFIX, signal: this.signal });
    await this.stage.ready;
    if (this.space === "2d") {
      this.stage.view.replace(await getText(project.url("stage/drawing?whole=yes")));
      await this.#dressSvg();
    }
    this.motion = new Motion({
      looked: () => ({}),
      onTake: NONE,
      onPreview: NONE,
      onRestore: NONE,
      signal: this.signal,
    });
    await this.motion.load();
    this.stage.bind(this.motion);
    await this.stage.view.outlines?.settled;
    if (this.space === "3d") this.#dressRoom();
    if (this.clear) this.stage.view.background(false);
    return this;
  }

  get space() {
    return project.status.space;
  }

  get curves() {
    return this.motion.curves;
  }

  /** As the scene is: surfaces as they are written, through its own camera, without the floor that is worked on. */
  #dressRoom() {
    const { view } = this.stage;
    view.setDraft(false);
    Object.assign(view.canvas.style, { display: "block", width: "100%", height: "100%" }); // it draws nothing without a size
    view.floor.visible = false;
    view.lookThrough(true);
  }

  async #dressSvg() {
    const { svg } = this.stage.view;
    svg.setAttribute("width", this.width);
    svg.setAttribute("height", this.height);
    svg.setAttribute("xmlns", "http://www.w3.org/2000/svg");
    const families = familiesOf(svg);
    this.rules = await fontRules(families);
    if (families.length) this.fonts = await openFonts(families, this.rules);
  }

  /** A frame as SVG text, without the rules of its fonts. */
  #svgOf(frame) {
    this.stage.show(frame);
    const { svg, clocks } = this.stage.view;
    return new XMLSerializer().serializeToString(clocks.size ? stilled(svg) : svg);
  }

  /** A frame as an SVG file. */
  svgOf(frame) {
    return this.#svgOf(frame).replace(">", `><style>${this.rules}</style>`); // on the page itself such styles are forbidden
  }

  /**
   * Prepare frames that are drawn one after the other. A browser takes long to open a picture of an SVG, and longer the more it has
   * opened: one is opened for all of them.
   */
  async sheet(frames) {
    if (this.space === "3d") return { frames };
    const { width, height } = this;
    const tiles = frames.map((frame, at) => tileOf(lean(this.#svgOf(frame)), { at, height }));
    const size = `width="${width}" height="${height * frames.length}"`;
    const text = `<svg xmlns="http://www.w3.org/2000/svg" ${size}><style>${this.rules}</style>${tiles.join("")}</svg>`;
    return new Sheet(frames, await pictureOf(text, width, height * frames.length), this);
  }

  /** Draw a frame of a sheet into the canvas. */
  async draw(sheet, at) {
    const { context, width, height } = this;
    const picture = await sheet.picture?.(at);
    if (this.clear) context.clearRect(0, 0, width, height);
    else {
      context.fillStyle = this.background;
      context.fillRect(0, 0, width, height);
    }
    if (picture) {
      context.drawImage(picture, 0, 0);
      picture.close();
      return;
    }
    this.stage.show(sheet.frames[at]);
    this.stage.view.renderNow();
    context.drawImage(this.stage.view.canvas, 0, 0, width, height);
  }

  /** What is drawn now as a file; the next frame can be drawn meanwhile. */
  blob(type = this.clear ? "image/png" : "image/jpeg", quality = 0.93) {
    return this.files.write(this.canvas, type, quality);
  }
}
