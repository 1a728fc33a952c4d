// What stands still below all that moves in a drawing: drawn once for a proof, and laid under its frames as a picture.

import { pictureOf } from "./proof_sheet.js";

const UNDRAWN = new Set(["defs", "style", "title", "desc", "linearGradient", "radialGradient", "pattern", "clipPath", "mask", "filter", "marker", "symbol"]);
const GROUPS = new Set(["g", "svg", "a"]);
const AS_ONE = /opacity|filter|mask|blend|isolation/; // what makes one picture of all that is in a group
const REFERENCE = /(?:href="|url\(|url\(&quot;)#([^")&]+)/g;
const TAKES_NOTE = { attributes: true, attributeOldValue: true, childList: true, characterData: true, subtree: true };

/** The names that a text refers to. Pure. */
export const namesIn = (text) => Array.from(text.matchAll(REFERENCE), ([, name]) => name);

const written = (node) => new XMLSerializer().serializeToString(node);
const asText = (element, inside) => written(element.cloneNode(false)).replace(/(?:\/>|><\/[^<>]+>)$/, ">") + inside + `</${element.tagName}>`;
const isOneOf = (root, names, own) => names.some((name) => { const one = root.querySelector(`[id="${CSS.escape(name)}"]`); return one && own(one); });

/** Whether a group's pieces look the same drawn by themselves. */
function isLoose(element) {
  if (!GROUPS.has(element.tagName)) return false;
  if (element.hasAttribute("mask") || element.hasAttribute("filter") || AS_ONE.test(element.getAttribute("style") ?? "")) return false;
  return Number(element.getAttribute("opacity") ?? 1) === 1;
}

/** The drawing of a stage in two: what stands still below, and what lies over that. */
export class Ground {
  #moving = new Set();
  /** What has moved, and all that it lies in. */
  #around = new Set();
  #below = new Set();
  /** The groups that lie below in part. */
  #parted = new Set();
  #isOld = true;
  #picture = "";

  /** @param {{ svg: SVGSVGElement, width: number, height: number, background: string, rules: string }} stage @param {AbortSignal} signal */
  constructor(stage, signal) {
    this.svg = stage.svg;
    this.stage = stage;
    this.watch = new MutationObserver((records) => this.#note(records));
    this.watch.observe(this.svg, TAKES_NOTE);
    signal.addEventListener("abort", () => this.watch.disconnect());
  }

  /** Take note of what has moved. */
  #note(records) {
    for (const { type, target, attributeName, oldValue } of records) {
      if (type === "attributes" && target.getAttribute(attributeName) === oldValue) continue;
      const element = target.nodeType === Node.ELEMENT_NODE ? target : target.parentNode;
      if (this.#moving.has(element)) continue;
      this.#moving.add(element);
      for (let one = element; one && one !== this.svg.parentNode; one = one.parentNode) this.#around.add(one);
      this.#isOld = true;
    }
  }

  /** Frames one after the other as text, and the address of the picture that is laid under them. */
  async under(frames, show) {
    let texts = [];
    const drawn = () => {
      this.#isOld = false;
      texts = frames.map((frame) => {
        show(frame);
        this.#note(this.watch.takeRecords());
        return this.#isOld ? "" : this.#over(this.svg);
      });
    };
    drawn();
    while (this.#isOld) {
      this.#part();
      this.#picture = this.#below.size ? await this.#drawn() : "";
      drawn();
    }
    return { texts, picture: this.#picture };
  }

  /** Find what stands still below all that moves. */
  #part() {
    this.#below.clear();
    this.#parted.clear();
    this.#takeFrom(this.svg);
    const over = namesIn(this.#over(this.svg));
    const isBelow = (one) => [...this.#below].some((piece) => piece.contains(one));
    if (isOneOf(this.svg, over, isBelow)) this.#below.clear();
  }

  /** Take pieces of a group that stand still, up to the first that does not. */
  #takeFrom(group) {
    this.#parted.add(group);
    for (const piece of group.children) {
      if (UNDRAWN.has(piece.tagName)) continue;
      if (this.#around.has(piece)) {
        if (!this.#moving.has(piece) && isLoose(piece)) this.#takeFrom(piece);
        return;
      }
      if (this.#leans(piece)) return;
      this.#below.add(piece);
    }
  }

  /** Whether a piece is drawn by something that moves. */
  #leans(piece, known = new Set()) {
    const names = namesIn(written(piece)).filter((name) => !known.has(name));
    names.forEach((name) => known.add(name));
    return isOneOf(this.svg, names, (one) => this.#around.has(one) || this.#lies(one) || this.#leans(one, known));
  }

  /** Whether something lies in what moves. */
  #lies(element) {
    for (let one = element; one !== this.svg; one = one.parentNode) if (this.#moving.has(one)) return true;
    return false;
  }

  /** A group as text without what lies below. */
  #over(group) {
    const pieces = Array.from(group.children, (piece) => {
      if (this.#below.has(piece)) return "";
      return this.#parted.has(piece) ? this.#over(piece) : written(piece);
    });
    return asText(group, pieces.join(""));
  }

  /** A group as text with nothing but what lies below, and what that is drawn by. */
  #under(group) {
    const pieces = Array.from(group.children, (piece) => {
      if (this.#below.has(piece) || UNDRAWN.has(piece.tagName)) return written(piece);
      return this.#parted.has(piece) ? this.#under(piece) : "";
    });
    return asText(group, pieces.join(""));
  }

  async #drawn() {
    const { width, height, background, rules } = this.stage;
    const canvas = Object.assign(document.createElement("canvas"), { width, height });
    const context = canvas.getContext("2d", { alpha: false, willReadFrequently: true });
    context.fillStyle = background;
    context.fillRect(0, 0, width, height);
    const text = this.#under(this.svg).replace(">", `><style>${rules}</style>`);
    context.drawImage(await pictureOf(text, width, height), 0, 0, width, height);
    return canvas.toDataURL("image/png");
  }
}
