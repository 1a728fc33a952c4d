// Files that are dropped or chosen, sent with progress, and what went wrong said beside the place.

import { byId } from "./dom.js";
import { notice } from "./notices.js";
import { upload } from "./server.js";

/** Said on the page when all files of a drop are in, or were refused. */
export const TAKEN = "ft:taken";

/**
 * Take files that are dropped on a place, or chosen for it: its input, its words and its bar are looked up by their ids, since
 * the place may be drawn anew after each file.
 *
 * @param {HTMLElement} zone
 * @param {{ onFiles: (files: File[], share: (file: File, done: number) => void, known: any[]) => Promise<{ name: string, fault: string }[]>, before?: (files: File[], go: (known: any[]) => any) => any, signal: AbortSignal }} how
 *   onFiles(files, share, known) sends them, and gives those that were refused; before(files, go) may ask something first, and
 *   go(known) then goes on with what is known of them
 */
export function mountDrop(zone, { onFiles, before = (_, go) => go([]), signal }) {
  const input = byId("file");
  byId("drop-words").dataset.first ??= byId("drop-words").textContent;
  const say = (text, isWrong = false) => {
    const words = byId("drop-words");
    if (!words) return; // another room has come
    words.classList.toggle("wrong", isWrong);
    words.textContent = text;
  };
  const work = (done) => {
    const bar = byId("drop-work");
    if (!bar) return;
    bar.hidden = done === null;
    bar.firstElementChild.style.width = `${(done ?? 0) * 100}%`;
  };
  const take = async (files) => {
    if (!files.length) return;
    try {
      await before(files, (known) => bring(files, known));
    } catch (wrong) {
      say(wrong.message, true);
    }
  };
  const bring = async (files, known) => {
    let now = files[0];
    const share = (file, done) => {
      now = file;
      const place = files.length > 1 ? `, ${files.indexOf(file) + 1} of ${files.length}` : "";
      say(`${done === 1 ? "Reading" : "Taking in"} ${file.name}${place}`);
      work(done);
    };
    share(now, 0);
    try {
      const refused = await onFiles(files, share, known);
      const words = inWords(refused);
      const areSomeIn = refused.length < files.length; // then the place is drawn anew, with what came
      if (words && areSomeIn) notice(words);
      say(areSomeIn ? byId("drop-words")?.dataset.first : words, !areSomeIn);
    } catch (wrong) {
      say(`${now.name}: ${wrong.message}`, true);
    } finally {
      work(null);
      document.dispatchEvent(new CustomEvent(TAKEN));
    }
  };
  mountDragOver(zone, take, signal);
  const chosen = () => {
    const files = [...input.files];
    input.value = ""; // the same can be chosen again
    take(files);
  };
  input.addEventListener("change", chosen, { signal });
}

/** Show that something is held over a place, and take what is dropped there. */
function mountDragOver(zone, take, signal) {
  let depth = 0;
  const over = (state) => (zone.dataset.over = String(state));
  zone.addEventListener("dragenter", (event) => (event.preventDefault(), (depth += 1), over(true)), { signal });
  zone.addEventListener("dragover", (event) => event.preventDefault(), { signal });
  zone.addEventListener("dragleave", () => over((depth -= 1) > 0), { signal });
  zone.addEventListener(
    "drop",
    (event) => {
      depth = 0;
      over(false);
      if (event.defaultPrevented) return; // it goes elsewhere
      event.preventDefault();
      take([...event.dataTransfer.files]);
    },
    { signal },
  );
}

/** Send a file to an address, its name and more beside it; share(file, done) is told how far it is, if it is given. */
export const send = (url, file, share = null, more = {}) => upload(`${url}?${new URLSearchParams({ name: file.name, ...more })}`, file, { onShare: (done) => share?.(file, done) });

/** What was refused in words: files with the same fault together. Pure. */
export function inWords(refused) {
  const names = {};
  for (const { name, fault } of refused) (names[fault] ??= []).push(name);
  return Object.entries(names).map(([fault, those]) => `${those.join(", ")}: ${fault}`).join(" ");
}

/** Send files one after the other; gives those that were refused, each with its fault: the others are in. */
export async function eachOf(files, sendOne) {
  const refused = [];
  for (const file of files) {
    try {
      await sendOne(file);
    } catch (wrong) {
      if (!wrong.status) throw wrong; // none can be sent
      refused.push({ name: file.name, fault: wrong.message });
    }
  }
  return refused;
}
