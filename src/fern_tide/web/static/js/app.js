// Starts the page: header, transport, keyboard, and the view of the room that is shown. Each view has one dispose scope.

import { byId, first, focused, onPage } from "./dom.js";
import { Bench } from "./bench.js";
import { mountDropAnywhere } from "./drop_anywhere.js";
import { Handoff } from "./handoff.js";
import { mountKeyboard } from "./keyboard.js";
import { hearFragments, sayLeftWord } from "./notices.js";
import { mountNumberFields } from "./number_field.js";
import { project } from "./project.js";
import { mountProjects } from "./projects.js";
import { offerRounds } from "./outbox.js";
import { offerSounds } from "./sound_memory.js";
import { openingSound, SoundRoom } from "./sound_room.js";
import { StageRoom } from "./stage_room.js";
import { mountSize } from "./size.js";
import { redrawRoom, selection } from "./selection.js";
import { token } from "./server.js";
import "./steady.js";
import { rhythm } from "./rhythm.js";
import { mountTour } from "./tour.js";
import { transport } from "./transport.js";
import { work } from "./work.js";

const ROOMS = { bench: Bench, sound: SoundRoom, stage: StageRoom, "hand-off": Handoff };
let scope = null;
let view = null;

function mountRoom() {
  scope?.abort();
  scope = new AbortController();
  const room = byId("room");
  if (!room) return;
  mountNumberFields(room, scope.signal);
  const Room = ROOMS[room.dataset.room];
  if (Room) view = new Room(room, scope.signal);
  else mountProjects(room, scope.signal);
}

/** A room goes: emptied here at once, since htmx would take leave of each of its thousand elements. */
function leave(room) {
  scope?.abort();
  room.replaceChildren();
}

/** A room was swapped in: its address goes into the history, its view is mounted, the playhead stays. */
function enter() {
  mountRoom();
  const { href } = first('#rooms [aria-current="page"]');
  if (href !== window.location.href) setTimeout(() => history.pushState(null, "", href)); // after the room is drawn: it takes a whole screen frame
  catchUp(byId("room"));
}

/** What a quick hand did while a room was on its way may be missing in it: then it is drawn anew. */
async function catchUp(room) {
  const isNow = () => Number(room.dataset.revision) === project.status.revision;
  if (isNow()) return;
  await project.lookAgain();
  if (room.isConnected && !isNow()) redrawRoom();
}

/** The browser went back or forward. */
const goTo = ({ pathname }) => first(`#rooms a[href="${CSS.escape(pathname)}"]`)?.click();

function paintHeader() {
  const { undo, redo, saved, stale, driven, name } = project.status;
  const button = (id, label, words) => {
    const element = byId(id);
    element.disabled = !label;
    element.title = label ? `${words}: ${label}` : `Nothing to ${words.toLowerCase()}`;
  };
  button("undo", undo, "Undo");
  button("redo", redo, "Redo");
  byId("saved").textContent = `Saved ${saved}`;
  const bake = byId("bake");
  bake.disabled = stale === 0;
  bake.textContent = stale ? `Bake ${stale} changed curve${stale === 1 ? "" : "s"}` : driven ? "All curves baked" : "Nothing to bake";
  const title = byId("project-name");
  if (focused() !== title) title.value = name;
  title.title = name;
  const [top, bottom] = project.status.rate;
  const rate = byId("rate");
  const text = bottom === 1 ? String(top) : `${top}/${bottom}`;
  if (focused() !== rate) rate.value = text;
}

/** Show only the words in which all of what is typed lies. */
function findWord(text) {
  const entries = [...document.querySelectorAll("#words li")];
  const typed = text.toLowerCase().split(/\s+/).filter(Boolean);
  for (const entry of entries) /** @type {any} */ (entry).hidden = !typed.every((word) => entry.getAttribute("data-words").includes(word));
  byId("no-word").hidden = entries.some((entry) => !(/** @type {any} */ (entry).hidden));
}

function mountHeader() {
  const on = (id, type, run) => byId(id).addEventListener(type, run);
  on("undo", "click", () => project.undo());
  on("redo", "click", () => project.redo());
  on("bake", "click", () => project.bake());
  on("show-keys", "click", () => byId("keys").showModal());
  on("find-word", "input", (event) => findWord(event.target.value));
  on("rate", "change", (event) => project.edit({ kind: "set_rate", rate: event.target.value }));
  on("project-name", "change", (event) => {
    if (event.target.value.trim()) project.edit({ kind: "rename_project", name: event.target.value });
    else event.target.value = project.status.name;
  });
  on("project-name", "keydown", (event) => event.key === "Enter" && event.target.blur());
  project.addEventListener("status", paintHeader);
  paintHeader();
}

/** Every request of htmx carries the token; one for another room says what is selected. */
function completeRequest({ detail: { headers, target, parameters } }) {
  headers["X-CSRF-Token"] = token();
  if (target.id !== "room") return;
  const { open, curve, ...selected } = selection.all;
  for (const [name, value] of Object.entries({ ...selected, open: open.join(), target: curve })) if (value) parameters[name] = String(value);
}

onPage("htmx:configRequest", completeRequest);
hearFragments();
sayLeftWord();
mountDropAnywhere();
mountSize();
project.open();
if (project.key) {
  transport.open();
  mountHeader();
  work.open();
  rhythm.open();
  offerRounds();
  offerSounds();
  work.addEventListener("done", () => rhythm.load(byId("ribbon")?.dataset.track || null));
  mountKeyboard({ zoom: (by) => view?.zoom?.(by), nextVersion: () => view?.nextVersion?.() });
  onPage("htmx:beforeRequest", (event) => event.target.getAttribute("href")?.endsWith("/sound") && openingSound());
  onPage("htmx:beforeSwap", ({ target, detail }) => target.id === "room" && detail.shouldSwap && leave(target));
  onPage("htmx:afterSettle", (event) => event.target.id === "room" && enter());
  window.addEventListener("popstate", () => goTo(window.location));
}
mountRoom();
mountTour();
