// Looking at the stage and picking from it: orbit, pan, zoom, frame; the selection in ember dashes.

import { isTyping } from "./keyboard.js";
import { project } from "./project.js";

const SVG = "http://www.w3.org/2000/svg";
const CLICK_PX = 4;
const WHEEL = 0.0012;

export function mountLooking({ room, parts, find, state, stage, signal, select }) {
  const root = room.querySelector("#stage");
  const over = document.createElementNS(SVG, "svg");
  over.setAttribute("class", "over");
  over.setAttribute("aria-hidden", "true");
  const dashes = document.createElementNS(SVG, "polygon");
  for (const [name, value] of Object.entries({ fill: "none", stroke: "#c4572e", "stroke-width": "1.5", "stroke-dasharray": "5 4" })) dashes.setAttribute(name, value);
  over.append(dashes);
  root.append(over);
  const shown = { background: true, camera: false };

  /** Draw the selection's outline where it is now. */
  function outline() {
    const corners = stage.view && state.part ? stage.view.outline(state.part) : null;
    dashes.setAttribute("visibility", corners ? "visible" : "hidden");
    if (!corners) return;
    const { left, top } = root.getBoundingClientRect();
    dashes.setAttribute("points", corners.map(({ x, y }) => `${(x - left).toFixed(1)},${(y - top).toFixed(1)}`).join(" "));
  }

  async function pickAt(event) {
    const hit = stage.view?.pick(event);
    if (!hit) return;
    if (typeof hit === "string") select(hit);
    else {
      const found = await fetch(project.url(`stage/node/${hit.node}`)).then((answer) => answer.json());
      if (found.part) select(found.part);
    }
  }

  let drag = null;
  root.addEventListener(
    "pointerdown",
    (event) => {
      if (stage.drawing) return;
      drag = { x: event.clientX, y: event.clientY, moved: false, pans: stage.space === "2d" };
      if (drag.pans) root.setPointerCapture(event.pointerId);
    },
    { signal },
  );
  root.addEventListener(
    "pointermove",
    (event) => {
      if (!drag) return;
      const [dx, dy] = [event.clientX - drag.x, event.clientY - drag.y];
      drag.moved ||= Math.hypot(dx, dy) > CLICK_PX;
      if (!drag.moved || !drag.pans) return;
      stage.view?.pan(dx, dy);
      Object.assign(drag, { x: event.clientX, y: event.clientY });
    },
    { signal },
  );
  root.addEventListener(
    "pointerup",
    (event) => {
      const clicked = drag && !drag.moved;
      drag = null;
      if (root.hasPointerCapture(event.pointerId)) root.releasePointerCapture(event.pointerId);
      if (clicked) pickAt(event);
    },
    { signal },
  );
  root.addEventListener("pointercancel", () => (drag = null), { signal });
  root.addEventListener(
    "wheel",
    (event) => {
      if (stage.space !== "2d") return;
      event.preventDefault();
      stage.view?.zoom(Math.exp(event.deltaY * WHEEL), event);
    },
    { signal, passive: false },
  );

  const press = (id, on) => find(id)?.setAttribute("aria-pressed", String(on));
  const acts = {
    "frame-part": () => state.part && stage.view?.framePart(state.part),
    "frame-all": () => stage.view?.frameAll(),
    "show-background": () => {
      shown.background = !shown.background;
      stage.view?.background(shown.background);
      press("#show-background", shown.background);
    },
    "show-floor": () => project.edit({ kind: "set_stage", floor: find("#show-floor").getAttribute("aria-pressed") !== "true" }),
    draft: () => {
      stage.view?.setDraft(!stage.view.draft);
      press("#draft", stage.view?.draft);
    },
    "through-camera": () => {
      shown.camera = stage.view?.lookThrough(!shown.camera, state.part) ?? false;
      press("#through-camera", shown.camera);
    },
  };
  parts.addEventListener("click", ({ target }) => acts[target.closest("button")?.id]?.(), { signal });
  document.addEventListener(
    "keydown",
    (event) => {
      if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const act = { f: "frame-part", 0: "frame-all" }[event.key.toLowerCase()];
      if (act) acts[act]();
    },
    { signal },
  );

  /** The panels were drawn anew: show on their buttons how the stage is looked at. */
  function mount() {
    press("#show-background", shown.background);
    press("#through-camera", shown.camera);
    press("#draft", Boolean(stage.view?.draft));
    if (stage.view) Object.assign(stage.view, { onView: outline, onDrawn: outline });
    outline();
  }

  stage.ready.then(() => signal.aborted || mount());
  return { outline, mount };
}
