// Files that are dropped anywhere: each goes to the room that takes it, folders with all that is in them, and nothing ever
// opens in the page's stead.

import { byId, first, onPage } from "./dom.js";
import { TAKEN } from "./drop.js";
import { notice } from "./notices.js";

/** The inputs that take files, by room. */
const INPUTS = { projects: "#file", sound: "#file", stage: "#scene-file" };
const PROJECT = /\.ferntide$/i;
const DRAWN = /\.(svg|svgz|gltf|glb|bin|png|jpe?g|webp)$/i;
const MOST_FILES = 200;
const LONG_MS = 10_000;

/** Which room takes which of some files, by their names: drawings, models and pictures the Stage, all else the Sound room. Pure. */
export function roomsFor(names) {
  const stage = names.filter((name) => DRAWN.test(name));
  const sound = names.filter((name) => !DRAWN.test(name));
  return { stage, sound };
}

/** All files of what was dropped, those in folders too; where there are too many, that is said. */
async function filesOf(items) {
  const waiting = items.map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  const files = [];
  while (waiting.length && files.length < MOST_FILES) {
    const entry = waiting.shift();
    if (entry.isFile) files.push(await new Promise((resolve, reject) => entry.file(resolve, reject)));
    else waiting.push(...(await entriesIn(entry.createReader())));
  }
  if (waiting.length) notice(`There is more in what was dropped: only the first ${MOST_FILES} files are taken.`);
  return files.filter(({ name }) => !name.startsWith("."));
}

async function entriesIn(reader) {
  const all = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return all;
    all.push(...some);
  }
}

const roomNow = () => byId("room")?.dataset.room;

/** Go to a room, and wait until it is there. */
async function goTo(room) {
  if (roomNow() === room) return;
  first(`#rooms a[href$="/${room}"]`).click();
  const end = performance.now() + LONG_MS;
  while ((roomNow() !== room || !first(INPUTS[room])) && performance.now() < end) await new Promise((later) => setTimeout(later, 40));
}

/** Give files to the input of a room. */
async function give(room, files) {
  await goTo(room);
  const input = first(INPUTS[room]);
  if (!input) {
    notice("The room for these files did not open. Go there, and drop them again.");
    return;
  }
  const carried = new DataTransfer();
  for (const file of files) carried.items.add(file);
  input.files = carried.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
}

let waiting = new AbortController();

async function route(files) {
  waiting.abort(); // what waited for sounds that never came
  waiting = new AbortController();
  if (!files.length) return notice("There is no file in what was dropped.");
  const room = roomNow();
  if (room === "projects") return give(room, files);
  const projects = files.filter(({ name }) => PROJECT.test(name));
  if (projects.length) return notice(`${projects[0].name} is a whole project: drop it on the start page.`);
  const { stage, sound } = roomsFor(files.map(({ name }) => name));
  const those = (names) => files.filter(({ name }) => names.includes(name));
  if (!sound.length) return give("stage", those(stage));
  if (stage.length) onPage(TAKEN, () => offerStage(those(stage)), { once: true, signal: waiting.signal });
  return give("sound", those(sound));
}

/** Ask, once the sounds are in, whether what came beside them goes onto the stage. */
function offerStage(files) {
  const names = files.map(({ name }) => name).join(", ");
  const act = { words: files.length === 1 ? "Take it there" : "Take them there", run: () => give("stage", files) };
  const other = { words: "Leave it out", run: () => null };
  notice(`${names} ${files.length === 1 ? "belongs" : "belong"} on the Stage.`, { tone: "good", act, other });
}

/** Take files wherever they are dropped. */
export function mountDropAnywhere() {
  const withFiles = (event) => event.dataTransfer?.types.includes("Files");
  onPage("dragover", (event) => withFiles(event) && !event.defaultPrevented && event.preventDefault());
  onPage(
    "drop",
    (event) => {
      if (!withFiles(event)) return;
      const items = [...event.dataTransfer.items].filter(({ kind }) => kind === "file");
      const hasFolder = items.some((item) => item.webkitGetAsEntry?.()?.isDirectory);
      const files = [...event.dataTransfer.files];
      const { stage, sound } = roomsFor(files.map(({ name }) => name));
      const room = roomNow();
      const own = room === "projects" || (room === "stage" && !sound.length) || (room === "sound" && !stage.length);
      const isPlace = event.target.closest?.("[data-over], .stage-room");
      if (own && isPlace && !hasFolder) return; // the place takes it itself
      event.preventDefault(); // the place sees that it is not to take it
      (hasFolder ? filesOf(items) : Promise.resolve(files)).then(route, () => notice("What was dropped could not be read. Choose the files instead."));
    },
    { capture: true },
  );
}
