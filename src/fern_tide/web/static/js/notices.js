// The strip under the header: what went wrong and what to do, or what was done and how to take it back.

import { byId, onPage } from "./dom.js";

export const UNREACHABLE = { what: "Fern Tide cannot be reached.", remedy: "Is it still running? Nothing that was saved is lost." };

/** Say something, with what can be done about it, and with another thing if there are two. */
export function notice(words, { tone = "bad", act = null, other = null } = {}) {
  const strip = byId("notice");
  byId("notice-words").textContent = words;
  strip.dataset.tone = tone;
  strip.hidden = false;
  for (const [id, does] of [["notice-act", act], ["notice-other", other]]) {
    const button = byId(id);
    button.hidden = !does;
    button.textContent = does?.words ?? "";
    button.onclick = () => {
      strip.hidden = true;
      does?.run();
    };
  }
  byId("notice-close").onclick = () => (strip.hidden = true);
}

const LEFT = "ft:word";

/** Leave words for the page that comes next. */
export const leaveWord = (words) => words && sessionStorage.setItem(LEFT, words);

/** Say what the page before left to be said. */
export function sayLeftWord() {
  const words = sessionStorage.getItem(LEFT);
  sessionStorage.removeItem(LEFT);
  if (words) notice(words);
}

export const hush = () => (byId("notice").hidden = true);

const LONG_MS = 6000;
let beside = null;

/** Say a sentence beside a field, until something else is typed or a while has passed. */
export function sayBeside(field, words) {
  beside?.remove();
  const { left, bottom } = field.getBoundingClientRect();
  beside = Object.assign(document.createElement("p"), { className: "said-beside", role: "alert", textContent: words });
  document.body.append(beside);
  const place = beside;
  Object.assign(place.style, { left: `${Math.max(8, Math.min(left, innerWidth - place.offsetWidth - 12))}px`, top: `${Math.min(bottom + 3, innerHeight - 30)}px` });
  const scope = new AbortController();
  const end = () => (place.remove(), scope.abort());
  /** @param {any} event */
  const again = ({ type, target }) => (type === "focusin" && target.id === field.id) || (type === "htmx:afterSwap" && target.id !== "room"); // drawn anew
  setTimeout(() => ["input", "focusin", "wheel", "htmx:afterSwap"].forEach((type) => onPage(type, (event) => again(event) || end(), { capture: true, signal: scope.signal })));
  setTimeout(end, LONG_MS);
}

/** Run something and show what goes wrong; gives undefined then. */
export async function telling(run, { about = "" } = {}) {
  try {
    return await run();
  } catch (wrong) {
    if (wrong.name === "AbortError") return undefined;
    notice(about && wrong.what ? `${about}: ${wrong.what} ${wrong.remedy}`.trim() : wrong.message);
    if (!wrong.what) console.error(wrong);
    return undefined;
  }
}

/** Say what the server refused to draw. */
export function hearFragments() {
  onPage("htmx:responseError", (event) => {
    const { what = "Something went wrong.", remedy = "Reload the page." } = readJson(event.detail.xhr.responseText);
    notice(`${what} ${remedy}`.trim());
  });
  onPage("htmx:sendError", ({ target }) => target.id !== "work" && notice(`${UNREACHABLE.what} ${UNREACHABLE.remedy}`));
}

function readJson(text) {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}
