// What a hand does on a ribbon.

import { frameUnder, xOf } from "./axis.js";
import { sizeOf } from "./canvas.js";
import { follow } from "./drag.js";
import { project } from "./project.js";
import { nearest, rhythm } from "./rhythm.js";
import { markerFrame, ruler } from "./ribbon.js";
import { transport } from "./transport.js";

const DRAG_FROM_PX = 4;
const NEAR_PX = 6;

/** What lies under the pointer: a marker, a hit, the ruler or the waveform. @returns {any} */
function under(event, { axis, width, height, hits }) {
  const view = { ...axis.view, width };
  const near = (frame) => Math.abs(xOf(frame, view) - event.offsetX) <= NEAR_PX;
  if (event.offsetY <= ruler() + 2) {
    const marker = project.status.markers.find((item) => near(markerFrame(item)));
    return marker && event.offsetY > ruler() - 12 ? { what: "marker", marker } : { what: "ruler" };
  }
  const hit = hits ? nearest(rhythm.hits, axis.view.from + (event.offsetX / width) * (axis.view.to - axis.view.from)) : null;
  if (hit !== null && near(hit) && event.offsetY > height - 14) return { what: "hit", hit };
  return { what: "wave" };
}

/** What a hand does on a ribbon: it moves the playhead, scrubs, selects; and what the Sound room lets it do. */
class RibbonHand {
  #dragged = false;

  constructor(canvas, options) {
    this.canvas = canvas;
    this.axis = options.axis;
    this.how = options;
    const { signal } = options;
    canvas.addEventListener("pointermove", (event) => this.#hover(event), { signal });
    canvas.addEventListener("pointerdown", (down) => down.button === 0 && this.#press(down), { signal });
  }

  get #width() {
    return sizeOf(this.canvas).width; // a rectangle has nothing of its own to be spread
  }

  get #perPx() {
    return (this.axis.view.to - this.axis.view.from) / this.#width;
  }

  #exact({ offsetX }) {
    return this.axis.view.from + offsetX * this.#perPx;
  }

  #frameOf({ offsetX }) {
    return frameUnder(offsetX, { ...this.axis.view, width: this.#width });
  }

  #held(frame) {
    return Math.min(this.axis.frames, Math.max(0, rhythm.snapped(frame, this.#perPx)));
  }

  #under(event) {
    const { width, height } = sizeOf(this.canvas);
    return under(event, { axis: this.axis, width, height, hits: this.how.hits });
  }

  #hover(event) {
    const { onGrid, moving } = this.how;
    const { what } = this.#under(event);
    this.canvas.style.cursor = { marker: "ew-resize", hit: "pointer", ruler: onGrid && event.altKey ? "ew-resize" : "" }[what] ?? (moving() ? "grab" : "");
  }

  /** What a press at something drags. */
  #kindOf(what, { altKey }) {
    const { onMarker, onGrid, moving } = this.how;
    const on = what === "marker" && !onMarker ? "ruler" : what;
    if (on === "ruler" && onGrid && altKey) return "grid";
    if (on === "wave" && moving()) return "move";
    return on === "hit" && !this.how.onHitMove ? "wave" : on;
  }

  #press(down) {
    const found = this.#under(down);
    const [start, first] = [this.#frameOf(down), this.#exact(down)];
    const kind = this.#kindOf(found.what, down);
    this.#dragged = false;
    const drag = (event, done) => this.#drag(kind, event, { done, start, first, ...found });
    const move = (event) => {
      this.#dragged ||= Math.abs(event.clientX - down.clientX) > DRAG_FROM_PX;
      if (this.#dragged) drag(event, false);
    };
    const end = (event) => {
      if (!this.#dragged) this.#click(found, start);
      else {
        drag(event, true);
        if (kind === "wave") transport.seek(transport.selection[0]);
      }
    };
    follow(down, this.canvas, { move, end, signal: this.how.signal });
  }

  #drag(kind, event, { done, start, first, marker, hit }) {
    const { onMarker, onGrid, onMove, onHitMove } = this.how;
    if (kind === "marker") onMarker(marker, this.#held(this.#exact(event)), done);
    else if (kind === "hit") onHitMove(hit, this.#held(this.#exact(event)), done);
    else if (kind === "grid") onGrid(this.#exact(event) - first, done);
    else if (kind === "move") onMove(this.#exact(event) - first, done);
    else if (kind === "wave") this.#select(start, this.#frameOf(event));
    else if (!done) transport.scrub(this.#frameOf(event));
  }

  /** Select the frames from one to another, at least one; with snapping they end on beats. */
  #select(...frames) {
    const [from, to] = frames.map((frame) => this.#held(frame)).sort((a, b) => a - b);
    const end = Math.min(this.axis.frames, to + (rhythm.snapping ? 0 : 1));
    transport.select([from, end === from ? end + 1 : end]);
  }

  #click({ what, hit, marker }, start) {
    if (what === "hit") this.how.onHit?.(hit);
    else if (what === "marker") transport.seek(Math.floor(markerFrame(marker) + 1e-4));
    else {
      transport.select(null);
      transport.seek(start);
    }
  }
}

/**
 * Let a ribbon be handled. Where the Sound room gives them: onHit(frame) a hit was clicked; onHitMove(hit, frame, done) one is
 * dragged; onMarker(marker, frame, done) a
 * marker is dragged; onGrid(frames, done) the beats are dragged with Alt held; onMove(frames, done) the track is dragged,
 * while moving() says so.
 * @param {any} canvas
 * @param {{ axis: any, signal: AbortSignal, hits?: boolean, onHit?: any, onHitMove?: any, onMarker?: any, onGrid?: any, onMove?: any, moving?: () => boolean }} how
 */
export const mountRibbon = (canvas, how) => new RibbonHand(canvas, { hits: false, moving: () => false, ...how });
