// The properties of the selected part: tried by hand, set, driven, limited, following; and its anchor.

import { mappingJson, partJson, put } from "./binding.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { transport } from "./transport.js";

const NINE = [0, 0.5, 1];

/** The value under a knob: 0 to 1000 over the ends of its slider. Pure. */
export const knobValue = (at, from, to) => Number((from + (at / 1000) * (to - from)).toPrecision(6));

const targetOf = (text) => {
  const [part, property] = text.split(":");
  return { part, property };
};

export function mountProperties({ parts, find, state, stage, signal, head, select, choose, refresh }) {
  const part = () => partJson(state.part);
  let tried = null;

  // --- trying by hand: the value is shown while the hand holds the knob, and goes back when it lets go

  function hold(knob) {
    const target = knob.dataset.try;
    const value = knobValue(Number(knob.value), Number(knob.dataset.from), Number(knob.dataset.to));
    knob.dataset.held = "";
    show(target, value);
    tell(target, value);
  }

  function show(target, value) {
    stage.view?.try(target, value, head());
    stage.view?.show(transport.frame);
    const output = find(`[data-running="${CSS.escape(target)}"].num`);
    if (output && value !== null && typeof value === "number") output.textContent = String(value);
    stage.view?.onView?.();
  }

  function tell(target, value) {
    tried = { target, value };
    for (const row of parts.querySelectorAll("[data-tried]")) row.hidden = row.dataset.tried !== target;
    const words = find(`[data-tried="${CSS.escape(target)}"] [data-tried-value]`);
    if (words) words.textContent = String(value);
  }

  function release(knob) {
    if (!("held" in knob.dataset)) return;
    delete knob.dataset.held;
    const { own } = head();
    const [, name] = knob.dataset.try.split(":");
    const { from, to } = knob.dataset;
    knob.value = String(Math.round(((own[name] - from) / (to - from || 1)) * 1000));
    show(knob.dataset.try, null);
    transport.show();
  }

  const knobOf = (event) => event.target.closest?.("input[data-try]");
  parts.addEventListener("input", (event) => knobOf(event) && hold(knobOf(event)), { signal });
  parts.addEventListener("change", (event) => knobOf(event) && release(knobOf(event)), { signal });
  for (const type of ["pointerup", "pointercancel", "keyup"]) {
    parts.addEventListener(type, (event) => knobOf(event) && setTimeout(() => release(knobOf(event) ?? event.target)), { signal });
  }

  /** Make a value the part's own, and keep the view as it is: it shows it already. */
  async function setOwn(target, value) {
    await project.edit({ kind: "set_value", target: targetOf(target), value });
  }

  function use(end) {
    const { target, value } = tried;
    tried = null;
    const driving = [...parts.querySelectorAll("[data-mapping-json]")]
      .map((item) => mappingJson(item.dataset.mappingJson))
      .find((mapping) => mapping.drives.some((drive) => `${drive.target.part}:${drive.target.property}` === target));
    if (!driving) return setOwn(target, value);
    const drives = driving.drives.map((drive) => (`${drive.target.part}:${drive.target.property}` === target ? { ...drive, [end]: value } : drive));
    return project.edit(put("mapping", { ...driving, drives }));
  }

  async function drive(target) {
    const made = await project.send("mappings", { target });
    if (made) await refresh();
  }

  // --- own values, typed or dragged

  parts.addEventListener("ft:try", ({ target, detail }) => target.dataset.own && show(target.dataset.own, detail), { signal });
  parts.addEventListener(
    "ft:set",
    ({ target, detail }) => {
      if (target.dataset.own) setOwn(target.dataset.own, detail).then(() => show(target.dataset.own, null));
      if (target.dataset.anchorAxis) setAnchor({ ...part().anchor, [target.dataset.anchorAxis]: detail, word: project.standing.space === "3d" ? "point" : "free" });
      if (target.dataset.follow) putFollow({ [target.dataset.follow]: detail });
    },
    { signal },
  );
  parts.addEventListener("input", ({ target }) => target.type === "color" && target.dataset.own && (show(target.dataset.own, target.value), tell(target.dataset.own, target.value)), { signal });

  // --- anchors

  const setAnchor = (anchor) => project.edit({ kind: "set_anchor", id: state.part, anchor });

  function anchorAt(column, row, word) {
    const box = stage.view?.anchorBox(state.part, head());
    if (!box) return notice("This part has no shape of its own: type where its anchor is.");
    const round = (value) => Number(value.toFixed(4));
    return setAnchor({ x: round(box.x + box.width * NINE[column]), y: round(box.y + box.height * NINE[row]), word });
  }

  function anchorSolid(word) {
    if (word === "origin") return setAnchor({ x: 0, y: 0, z: 0, word });
    const known = JSON.parse(find("#solid-anchors").textContent)[word];
    if (known) return setAnchor(known);
    const box = stage.view?.anchorBox(state.part, head());
    if (!box) return notice("This part has no shape of its own: type where its anchor is.");
    const height = { base: box.min.y, centre: (box.min.y + box.max.y) / 2, top: box.max.y }[word];
    const round = (value) => Number(value.toFixed(6));
    return setAnchor({ x: round((box.min.x + box.max.x) / 2), y: round(height), z: round((box.min.z + box.max.z) / 2), word });
  }

  const keepBase = () => (project.standing.space === "3d" ? anchorSolid("base") : anchorAt(1, 2, "bottom"));

  /** Let the width, and in 3D the depth, follow the height so that the area or volume stays; or let them go. */
  async function squash(pressed) {
    const solid = project.standing.space === "3d";
    const source = { part: state.part, property: "scale_y" };
    const names = solid ? ["scale_x", "scale_z"] : ["scale_x"];
    const commands = names.map((property) => {
      const target = { part: state.part, property };
      return pressed ? { kind: "remove_follow", target } : { kind: "put_follow", follow: { target, source, law: solid ? "volume" : "area" } };
    });
    const words = `${pressed ? "No squash and stretch" : "Squash and stretch"} of ${part().name}`.slice(0, 120);
    await project.edit({ kind: "together", words, commands });
  }

  // --- limits and following

  const followJson = () => JSON.parse(find("#follow-json")?.textContent ?? "null");
  const putFollow = (more) => project.edit({ kind: "put_follow", follow: { ...followJson(), ...more } });

  function limit(field) {
    const text = field.value.trim().replace(",", ".");
    const value = text === "" || text === "–" ? null : Number(text);
    if (value !== null && !Number.isFinite(value)) {
      field.setAttribute("aria-invalid", "true");
      return;
    }
    const kept = JSON.parse(find("#limit-json").textContent);
    project.edit({ kind: "put_limit", limit: { ...kept, [field.dataset.limit]: value } });
  }

  function follow(source) {
    const target = { part: state.part, property: state.property };
    if (source) project.edit({ kind: "put_follow", follow: { ...followJson(), target, source: targetOf(source) } });
    else project.edit({ kind: "remove_follow", target });
  }

  parts.addEventListener(
    "change",
    ({ target }) => {
      if (target.dataset.limit) limit(target);
      if (target.id === "follow-source") follow(target.value);
      if (target.id === "part-parent") project.edit({ kind: "arrange_part", id: state.part, parent: target.value || null, place: 100000 });
      if (target.id === "anchor-3d" && target.value !== "point") anchorSolid(target.value);
      if (target.type === "color" && target.dataset.own) {
        const driven = find(`[data-tried="${CSS.escape(target.dataset.own)}"] [data-use="full"]`);
        if (driven) show(target.dataset.own, null);
        else setOwn(target.dataset.own, target.value).then(() => show(target.dataset.own, null));
      }
      if (target.dataset.plays) project.edit({ kind: "set_plays", file: target.dataset.plays, plays: target.checked });
    },
    { signal },
  );

  parts.addEventListener(
    "click",
    async ({ target }) => {
      const button = target.closest("button");
      if (!button) return;
      const { dataset } = button;
      if (dataset.use) use(dataset.use);
      else if (dataset.drawBy) project.send(`stage/parts/${state.part}/draw`, { reading: dataset.drawBy });
      else if (dataset.driveIt) drive(dataset.driveIt);
      else if (dataset.tie) choose(dataset.tie);
      else if (dataset.anchor) anchorAt(...dataset.anchor.split(" ").map(Number), dataset.word);
      else if (button.id === "keep-base") keepBase();
      else if (button.id === "squash") squash(button.getAttribute("aria-pressed") === "true");
      else if ("copy" in dataset) {
        const made = await project.send(`stage/parts/${state.part}/copy`, { middle: dataset.copy === "middle" });
        if (made) select(made.part);
      } else if (dataset.arrange) arrange(Number(dataset.arrange));
      else if (button.id === "remove-part") remove();
      else if (dataset.drawOutline) drawOutline(button);
    },
    { signal },
  );

  function arrange(by) {
    const { parent } = part();
    const rows = [...parts.querySelectorAll(".tree-row[data-part]")];
    const level = find(`.tree-row[data-part="${state.part}"]`)?.getAttribute("aria-level");
    const own = rows.findIndex((row) => row.dataset.part === state.part);
    const beside = [];
    for (let at = own; at >= 0 && rows[at].getAttribute("aria-level") >= level; at -= 1) if (rows[at].getAttribute("aria-level") === level) beside.unshift(rows[at]);
    project.edit({ kind: "arrange_part", id: state.part, parent, place: Math.max(0, beside.length - 1 + by) });
  }

  async function remove() {
    const command = { kind: "remove_part", id: state.part };
    const act = { words: "Remove it with that", run: () => project.edit({ ...command, with_users: true }) };
    const ask = ({ detail }) => detail.remedy.endsWith("?") && notice(detail.message, { act });
    project.addEventListener("refused", ask, { signal });
    await project.edit(command);
    project.removeEventListener("refused", ask);
  }

  /** The next drag on the stage draws a path, or the mask of a picture. */
  function drawOutline(button) {
    const root = stage.root;
    button.setAttribute("aria-pressed", "true");
    stage.drawing = true;
    const points = [];
    const scope = new AbortController();
    const options = { signal: AbortSignal.any([signal, scope.signal]) };
    const at = (event) => {
      const { x, y } = stage.view.toPart(state.part, event);
      points.push(`${x.toFixed(1)} ${y.toFixed(1)}`);
    };
    root.addEventListener("pointerdown", (event) => (root.setPointerCapture(event.pointerId), at(event)), options);
    root.addEventListener("pointermove", (event) => points.length && at(event), options);
    root.addEventListener(
      "pointerup",
      () => {
        scope.abort();
        stage.drawing = false;
        button.setAttribute("aria-pressed", "false");
        if (points.length < 3) return;
        const drawn = part();
        const { params: before } = drawn.shape;
        const picture = button.dataset.drawOutline === "outline";
        const outline = `M${points.join("L")}${picture || before.filled ? "Z" : ""}`;
        const params = picture ? { ...before, mask: "drawn", outline } : { ...before, data: outline };
        project.edit(put("part", { ...drawn, shape: { ...drawn.shape, params } }));
      },
      options,
    );
  }

  return {
    /** Say again what was tried, after the page was drawn anew: it can still be used. */
    renew() {
      if (tried && targetOf(tried.target).part !== state.part) tried = null;
      if (tried) tell(tried.target, tried.value);
    },
  };
}
