// Hand-off: curves and their state, keys over the dense curve, checks, and writing.

import { Axis, xOf } from "./axis.js";
import { colours, MONO, pen } from "./canvas.js";
import { columns, row, strokeColumns } from "./lane.js";
import { replaceHtml, telling } from "./notices.js";
import { project } from "./project.js";
import { mountWheel } from "./ribbon.js";
import { getPack, getText } from "./server.js";
import { frameUnder } from "./axis.js";
import { transport } from "./transport.js";

const PAD = 26;

/** The range of a curve's rows with a little room. Pure. */
export function rangeOf(rows) {
  let [low, high] = [Infinity, -Infinity];
  for (const values of rows) {
    for (const value of values) {
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  return high - low < 1e-9 ? { low: low - 0.5, high: high + 0.5 } : { low, high };
}

export function mountHandoff(room, signal) {
  const parts = room.querySelector("#parts");
  const axis = new Axis(project.standing.frames);
  let curve = null;
  let written = {}; // what was written since the last bake, by format
  const find = (selector) => parts.querySelector(selector);

  async function load() {
    const canvas = find("#keys-plot");
    curve = null;
    if (canvas) {
      const pack = await telling(() => getPack(project.url(`hand-off/curve?target=${encodeURIComponent(canvas.dataset.target)}`)));
      if (!pack || signal.aborted) return;
      const list = (value) => (Array.isArray(value) ? value : [value]);
      const { head, arrays } = pack;
      curve = { dense: list(arrays[head.dense]), frames: arrays[head.frames], keys: list(arrays[head.keys]) };
      axis.resize(curve.dense[0].length);
      find("#keys-words").textContent = `${curve.frames.length} keys for ${curve.dense[0].length} frames, never more than ${head.error_percent.toFixed(2)} % from the dense curve`;
    }
    drawAll();
  }

  function drawAll() {
    const canvas = find("#keys-plot");
    if (!canvas || !curve) return;
    const { context, width, height } = pen(canvas);
    const ink = colours();
    const range = { ...rangeOf(curve.dense), height, pad: PAD };
    const view = { ...axis.view, width };
    curve.dense.forEach((dense, channel) => {
      context.strokeStyle = ink["fern-wash"];
      context.lineWidth = 5;
      context.lineJoin = "round";
      strokeColumns(context, columns(dense, view), range);
      drawKeys(context, curve.frames, curve.keys[channel], { view, range, ink });
    });
    context.font = MONO;
    context.fillStyle = ink["ink-2"];
    context.fillText(range.high.toPrecision(3), 6, 14);
    context.fillText(range.low.toPrecision(3), 6, height - 18);
    context.fillText(`frame ${Math.round(view.from)}`, 6, height - 5);
    const last = `frame ${Math.round(view.to) - 1}`;
    context.fillText(last, width - 8 - context.measureText(last).width, height - 5);
    drawFrame();
  }

  function drawKeys(context, frames, keys, { view, range, ink }) {
    context.strokeStyle = ink.fern;
    context.lineWidth = 1.4;
    context.beginPath();
    frames.forEach((frame, i) => context.lineTo(xOf(frame + 0.5, view), row(keys[i], range)));
    context.stroke();
    const shown = frames.filter((frame) => frame >= view.from - 1 && frame <= view.to).length;
    if (shown > view.width / 5) return; // too near each other to be told apart: zoom in to see them
    frames.forEach((frame, i) => {
      context.beginPath();
      context.arc(xOf(frame + 0.5, view), row(keys[i], range), 3.2, 0, 2 * Math.PI);
      context.fillStyle = ink.sheet;
      context.fill();
      context.stroke();
    });
  }

  function drawFrame() {
    const [head, canvas] = [find("#playhead"), find("#keys-plot")];
    if (!head || !canvas) return;
    const { width } = canvas.getBoundingClientRect();
    const x = xOf(transport.frame + 0.5, { ...axis.view, width });
    head.hidden = x < 0 || x > width;
    head.style.transform = `translateX(${x}px)`;
  }

  async function refresh(target = find("[data-curve][aria-current]")?.dataset.curve ?? "") {
    const html = await telling(() => getText(project.url(`hand-off/parts?target=${encodeURIComponent(target)}`)));
    if (html === undefined || signal.aborted) return;
    const scrolled = find(".overflow-y-auto")?.scrollTop ?? 0;
    replaceHtml(parts, html);
    find(".overflow-y-auto").scrollTop = scrolled;
    for (const [id, said] of Object.entries(written)) {
      const place = find(`#written-${id}`); // a format that carries no such stage is not offered any more
      if (place) place.innerHTML = said;
    }
    mountParts();
    await load();
  }

  /** What the form of the Write panel says, as a query. */
  function options() {
    const form = find("#write-options");
    const query = new URLSearchParams(form ? new FormData(form) : {});
    for (const box of parts.querySelectorAll("[data-option]")) query.set(box.dataset.option, String(box.checked));
    const boxes = [...parts.querySelectorAll("[data-goes-in]")];
    if (boxes.some((box) => !box.checked)) for (const box of boxes) if (box.checked) query.append("part", box.dataset.goesIn);
    return query;
  }

  function sayParts() {
    const boxes = [...parts.querySelectorAll("[data-goes-in]")];
    const going = boxes.filter((box) => box.checked).length;
    const words = find("#parts-words");
    if (words) words.textContent = going === boxes.length ? `All ${going} moving parts go in` : `${going} of ${boxes.length} moving parts go in`;
  }

  async function write(id) {
    const place = () => find(`#written-${id}`) ?? document.createElement("div"); // the room may be shown anew meanwhile
    place().textContent = "Writing and reading back";
    const html = await telling(() => getText(project.url(`hand-off/write/${id}?${options()}`)));
    if (signal.aborted) return;
    written[id] = html ?? "";
    place().innerHTML = written[id];
    place().scrollIntoView({ block: "nearest" });
  }

  function mountParts() {
    const canvas = find("#keys-plot");
    if (!canvas) return;
    mountWheel(canvas, { axis, plot: () => canvas, signal });
    canvas.addEventListener("click", (event) => transport.seek(frameUnder(event.offsetX, { ...axis.view, width: canvas.getBoundingClientRect().width })), { signal });
  }

  parts.addEventListener(
    "click",
    (event) => {
      const data = event.target.closest("button")?.dataset ?? {};
      if (data.write) write(data.write);
      else if (data.showFrame) transport.seek(Number(data.showFrame));
      if (data.curve) refresh(data.curve);
    },
    { signal },
  );
  parts.addEventListener("change", (event) => event.target.dataset.goesIn && sayParts(), { signal });
  parts.addEventListener("submit", (event) => event.preventDefault(), { signal });
  parts.addEventListener("ft:set", (event) => "keysError" in event.target.dataset && project.edit({ kind: "set_keys_error", percent: event.detail }), { signal });
  const redraw = () => requestAnimationFrame(() => !signal.aborted && drawAll());
  axis.addEventListener("view", redraw, { signal });
  transport.addEventListener("frame", drawFrame, { signal });
  project.addEventListener("revised", () => refresh(), { signal });
  project.addEventListener("baked", () => ((written = {}), refresh()), { signal });
  new ResizeObserver(redraw).observe(room);
  document.fonts.ready.then(redraw);
  mountParts();
  load();
  return { zoom: (by) => axis.zoom(by) };
}
