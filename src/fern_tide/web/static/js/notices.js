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
