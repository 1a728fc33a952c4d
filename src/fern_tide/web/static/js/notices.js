// The strip under the header: what went wrong and what to do, or what was done and how to take it back.

export function notice(words, { tone = "bad", act = null } = {}) {
  const strip = document.getElementById("notice");
  const button = document.getElementById("notice-act");
  document.getElementById("notice-words").textContent = words;
  strip.dataset.tone = tone;
  strip.hidden = false;
  button.hidden = !act;
  button.textContent = act?.words ?? "";
  button.onclick = () => {
    strip.hidden = true;
    act?.run();
  };
  document.getElementById("notice-close").onclick = () => (strip.hidden = true);
}

export const hush = () => (document.getElementById("notice").hidden = true);

/** Put other HTML in a place. A field for files stays what it was: one may just be being chosen for it. */
export function fill(place, html) {
  const choosers = [...place.querySelectorAll("input[type=file][id]")];
  place.innerHTML = html;
  for (const chooser of choosers) place.querySelector(`#${chooser.id}`)?.replaceWith(chooser);
}

/** Put new HTML into a place, keeping the focus and what is being typed there. */
export function replaceHtml(place, html) {
  const held = document.activeElement;
  const typing = held?.matches?.("input:not([type=checkbox]):not([type=color])") && held.value !== (held.dataset.before ?? held.defaultValue);
  if (held?.dataset && place.contains(held)) held.dataset.leaving = ""; // so that being taken away does not count as being left
  fill(place, html);
  const same = held?.id && document.getElementById(held.id);
  if (!same || document.activeElement === same) return;
  same.focus({ preventScroll: true });
  if (!typing || same === held) return;
  same.value = held.value;
  if (held.getAttribute("aria-invalid") === "true") same.setAttribute("aria-invalid", "true");
  if ("tried" in held.dataset) same.dataset.tried = "";
  same.dataset.before = held.dataset.before ?? "";
  same.setSelectionRange(held.selectionStart, held.selectionEnd);
  // the browser takes what was put there for unchanged, and would not tell of it when the field is left
  if (!("number" in same.dataset)) same.addEventListener("blur", () => same.dispatchEvent(new Event("change", { bubbles: true })), { once: true });
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
