// A canvas at the screen's own resolution, and the colours of the look.

const style = () => getComputedStyle(document.documentElement);

let known = null;
export function colours() {
  known ??= Object.fromEntries(
    ["sheet", "paper", "rule", "dots", "ink", "ink-2", "tide", "tide-ink", "tide-wash", "fern", "fern-ink", "fern-wash", "ember", "pollen"].map((name) => [
      name,
      style().getPropertyValue(`--color-${name}`).trim(),
    ]),
  );
  return known;
}

const sizes = new WeakMap();
const watcher = new ResizeObserver((entries) => entries.forEach(({ target, contentRect }) => sizes.set(target, contentRect)));

/** The size of an element in CSS pixels, measured again only when it changes: asking the page each time is slow. */
export function sizeOf(element) {
  if (!sizes.has(element)) {
    sizes.set(element, element.getBoundingClientRect());
    watcher.observe(element);
  }
  return sizes.get(element);
}

/** Measure an element anew when it is drawn next: it was just given another size, of which the page tells too late. */
export const forgetSize = (element) => sizes.delete(element);

/** Write a text only when it changes. */
export function say(element, text) {
  if (element.textContent !== text) element.textContent = text;
}

/** Size a canvas to its place and give a pen in CSS pixels, the canvas wiped. */
export function pen(canvas) {
  const { width, height } = sizeOf(canvas);
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.max(1, Math.round(width * scale)), Math.max(1, Math.round(height * scale))];
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const context = canvas.getContext("2d");
  context.setTransform(scale, 0, 0, scale, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

/** Pointer moves as they come, not held back for the next screen frame, where the browser tells them: half a frame sooner. */
export const MOVES = "onpointerrawupdate" in window ? "pointerrawupdate" : "pointermove";

let root = 0;
/** Forget how large a letter is: everything was given another size. */
export const forgetLetters = () => (root = 0);
window.addEventListener("resize", forgetLetters);

/** A length of the look, drawn as large as letters are now: they grow with the window and with the scale setting. */
export function em(px) {
  root ||= parseFloat(style().fontSize) / 16;
  return px * root;
}

export const mono = () => `${em(11)}px "Spline Sans Mono", monospace`;
export const sans = (weight = 400) => `${weight} ${em(11)}px "Instrument Sans", sans-serif`;
