// A stage of a size of its own, off the screen, that gives any frame as a picture: what proofs and stills are drawn with.

import { Motion } from "./motion.js";
import { project } from "./project.js";
import { getBytes, getText } from "./server.js";
import { StageView } from "./stage_view.js";

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

/** The rules of the fonts that a drawing's words are in: a picture of an SVG reaches nothing outside it. */
async function fontRules(svg) {
  const used = new Set(
    [...svg.querySelectorAll("[font-family]")].map((element) =>
      element.getAttribute("font-family").split(",")[0].replace(/['"]/g, "").trim(),
    ),
  );
  const rules = [];
  for (const family of used) {
    if (!(family in FONTS)) continue;
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

const NONE = () => {};
export const CANVASES = 4;

export class ProofStage {
  /** @param {{ width: number, height: number, clear?: boolean, background?: string }} size @param {AbortSignal} signal */
  constructor({ width, height, clear = false, background = "#000000" }, signal) {
    this.width = width;
    this.height = height;
    this.clear = clear;
    this.background = background;
    this.signal = signal;
    this.rules = "";
    // several, so that one is written as a file while the next is drawn
    this.canvases = Array.from({ length: CANVASES }, () =>
      Object.assign(document.createElement("canvas"), { width, height }),
    );
    this.contexts = this.canvases.map((canvas) => canvas.getContext("2d", { alpha: clear, willReadFrequently: true }));
    this.turn = 0;
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
    this.stage = new StageView(this.root, { prefix: "stage-", signal: this.signal });
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

  get canvas() {
    return this.canvases[this.turn];
  }

  get context() {
    return this.contexts[this.turn];
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
    this.rules = await fontRules(svg);
  }

  /** A frame as SVG text. */
  svgOf(frame) {
    this.stage.show(frame);
    const text = new XMLSerializer().serializeToString(this.stage.view.svg);
    return this.rules ? text.replace(">", `><style>${this.rules}</style>`) : text; // on the page itself such styles are forbidden
  }

  /** Draw a frame into the canvas. */
  async draw(frame) {
    this.turn = (this.turn + 1) % CANVASES;
    const { context, width, height } = this;
    if (this.clear) context.clearRect(0, 0, width, height);
    else {
      context.fillStyle = this.background;
      context.fillRect(0, 0, width, height);
    }
    if (this.space === "3d") {
      this.stage.show(frame);
      this.stage.view.renderNow();
      context.drawImage(this.stage.view.canvas, 0, 0, width, height);
      return;
    }
    const url = URL.createObjectURL(new Blob([this.svgOf(frame)], { type: "image/svg+xml" }));
    try {
      const image = new Image(width, height);
      image.src = url;
      await image.decode();
      context.drawImage(image, 0, 0, width, height);
    } finally {
      URL.revokeObjectURL(url);
    }
  }

  /** What is drawn now as a file. @returns {Promise<Blob>} */
  blob(type = this.clear ? "image/png" : "image/jpeg", quality = 0.93) {
    return new Promise((done, failed) =>
      this.canvas.toBlob(
        (blob) => (blob ? done(blob) : failed(new Error("The picture could not be drawn."))),
        type,
        quality,
      ),
    );
  }
}
