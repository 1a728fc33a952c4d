// Fields that belong to a mapping, an envelope or a track: each names its owner and a path into it.

import { atPlace, twice } from "./lists.js";
import { withPath, withoutPath } from "./project.js";

const read = (selector) => {
  const found = document.querySelector(selector);
  return found ? JSON.parse(found.textContent) : null;
};

export const mappingJson = (id) => read(`[data-mapping-json="${id}"]`);
export const envelopeJson = (id) => read(`[data-envelope-json="${id}"]`);
export const markerJson = (id) => read(`[data-marker-json="${id}"]`);
export const partJson = (id) => read(`[data-part-json="${id}"]`);
export const trackJson = (id) => read(`[data-track-json="${id}"]`);

/** The command that stores a thing: { kind: "put_mapping", mapping: ... }. Pure. */
export const put = (kind, thing) => ({ kind: `put_${kind}`, [kind]: thing });

/** Make the command for a field's new value; owners: "mapping" and "envelope" of the room, or "mapping:ID". */
function commandFor(element, owners, change) {
  const [kind, id] = element.dataset.owner.split(":");
  const thing = { mapping: mappingJson, envelope: envelopeJson, track: trackJson, marker: markerJson, part: partJson }[kind](id ?? owners()[kind]);
  return thing && put(kind, change(thing));
}

/** Hear every bound field inside root; onTry while it changes, onSet when it is done, both with a command. */
export function mountBindings(root, { owners, onTry, onSet, signal }) {
  const bound = (event) => event.target.closest?.("[data-owner][data-path]");
  const tell = (how, element, value) => how(commandFor(element, owners, (thing) => withPath(thing, element.dataset.path, value)), element);
  const on = (type, run) => root.addEventListener(type, (event) => bound(event) && run(bound(event), event), { signal });

  on("ft:try", (element, event) => tell(onTry, element, event.detail));
  on("ft:set", (element, event) => tell(onSet, element, event.detail));
  on("input", (element) => element.type === "color" && tell(onTry, element, element.value));
  on("change", (element) => {
    if ("number" in element.dataset || element.dataset.act) return;
    if (element.type === "checkbox") tell(onSet, element, element.checked);
    else if (element.value.trim() || "empty" in element.dataset) tell(onSet, element, element.value);
  });
  on("keydown", (element, event) => {
    if (event.key === "Enter" && element.matches("input:not([data-number])")) element.blur();
  });
  on("click", (element) => {
    if (element.dataset.act === "drop") onSet(commandFor(element, owners, (thing) => withoutPath(thing, element.dataset.path)), element);
    if (element.dataset.act === "twice") inList(element, twice);
  });
  on("ft:order", (element, { detail: to }) => inList(element, (items, from) => atPlace(items, from, to)));

  /** Change the list that a place is in; change(items, place) gives the new one. */
  function inList(element, change) {
    const at = element.dataset.path.lastIndexOf(".");
    const [list, place] = [element.dataset.path.slice(0, at), Number(element.dataset.path.slice(at + 1))];
    onSet(commandFor(element, owners, (thing) => withPath(thing, list, change(thing[list], place))), element);
  }
}
