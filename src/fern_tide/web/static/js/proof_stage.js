// A stage of a size of its own, off the screen, that gives any frame as a picture: what proofs and stills are drawn with.

import { Motion } from "./motion.js";
import { project } from "./project.js";
import { familiesOf, fontRules, openFonts } from "./proof_fonts.js";
import { Ground } from "./proof_ground.js";
import { PREFIX, Sheet, takenFrom, UNDRAWN } from "./proof_sheet.js";
import { getText } from "./server.js";
import { StageView } from "./stage_view.js";
import { stilled } from "./stilled.js";

const NONE = () => {};

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
  write(picture, type, quality) {
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
    else if (this.space === "2d" && !this.stage.view.clocks.size) this.ground = this.#groundOf(this.stage.view.svg);
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

  #groundOf(svg) {
    const { width, height, background, rules, signal } = this;
    return new Ground({ svg, width, height, background, rules }, signal);
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

  /** Prepare frames that are drawn one after the other. */
  async sheet(frames) {
    if (this.space === "3d") return { frames };
    if (!this.ground) return Sheet.of(frames, frames.map((frame) => this.#svgOf(frame)), this);
    const { texts, picture } = await this.ground.under(frames, (frame) => this.stage.show(frame));
    return Sheet.of(frames, texts, this, picture);
  }

  /** A frame of a sheet as it is drawn, under what is drawn over it. @param {((stage: ProofStage) => void) | null} over */
  async picture(sheet, at, over = null) {
    if (sheet.taken && !over && !this.clear) return sheet.taken(at);
    await this.#draw(sheet, at);
    over?.(this);
    return takenFrom(this.canvas);
  }

  async #draw(sheet, at) {
    const { context, width, height } = this;
    if (this.clear) context.clearRect(0, 0, width, height);
    if (sheet.taken) return sheet.draw(context, at);
    this.stage.show(sheet.frames[at]);
    this.stage.view.renderNow();
    if (!this.clear) {
      context.fillStyle = this.background;
      context.fillRect(0, 0, width, height);
    }
    context.drawImage(this.stage.view.canvas, 0, 0, width, height);
  }

  /** A drawn picture as a file; the next one can be drawn meanwhile. @returns {Promise<Blob>} */
  file(picture, type = this.clear ? "image/png" : "image/jpeg", quality = 0.93) {
    return this.files.write(picture, type, quality);
  }
}
