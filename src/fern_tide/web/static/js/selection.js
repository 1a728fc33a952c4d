// What is selected in the rooms of a project: it stays from room to room, and over a reload.

import { first } from "./dom.js";
import { Store } from "./store.js";

export const selection = new Store({ mapping: null, drive: 0, envelope: null, track: null, part: null, parts: [], order: "x", backwards: "", takes: "row", late: 12, first_has: 1, last_has: 1, property: "", larger: "", open: [], curve: null, hand: "stretch", below: "write", cut: "yes" });

/** Take up what was selected in this project, and keep what will be. */
export function openSelection(key) {
  const place = `ft:${key}:selection`;
  selection.correct(JSON.parse(sessionStorage.getItem(place) ?? "{}"));
  selection.watch(["*"], (all) => sessionStorage.setItem(place, JSON.stringify(all)));
}

/** Some of what is selected, as the server is asked for it: nothing that is not selected. */
export function asQuery(names) {
  const all = selection.all;
  return Object.fromEntries(names.map((name) => [name, String(all[name] ?? "")]).filter(([, text]) => text !== ""));
}

/**
 * Have the room that is shown drawn anew, all of it; what is selected and the playhead stay. Where a room is on its way already,
 * that comes first: it is looked at then whether it is as things stand.
 */
export function redrawRoom() {
  if (!first("#rooms .htmx-request")) first('#rooms [aria-current="page"]').click();
}

/** Select something that another room shows, and go there. */
export function openInRoom(room, values) {
  selection.set(values);
  first(`#rooms a[href$="/${room}"]`).click();
}
