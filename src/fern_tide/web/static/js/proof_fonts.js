// The fonts of ours in pictures of drawings: a picture of an SVG reaches nothing outside it.

import { pictureOf } from "./proof_sheet.js";
import { getBytes } from "./server.js";

const FONTS = {
  Fraunces: ["fraunces", 600],
  "Instrument Sans": ["instrument-sans", 400],
  "Spline Sans Mono": ["spline-sans-mono", 400],
};
const SETS = ["latin", "latin-ext"];
const CELL = 24; // pixels
const MOST_TRIES = 500;

/** Bytes as a data address. */
function dataUrl(bytes, type) {
  let text = "";
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  return `data:${type};base64,${btoa(text)}`;
}

/** The fonts of ours that a drawing's words are in. */
export const familiesOf = (svg) => [
  ...new Set(
    [...svg.querySelectorAll("[font-family]")]
      .map((element) => element.getAttribute("font-family").split(",")[0].replace(/['"]/g, "").trim())
      .filter((family) => family in FONTS),
  ),
];

/** The rules of fonts. */
export async function fontRules(families) {
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

/**
 * Open fonts once, and wait until letters of them are seen: a picture of an SVG is given out before its fonts are there, without
 * its words. As long as this picture is kept, others have them at once.
 */
export async function openFonts(families, rules) {
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
