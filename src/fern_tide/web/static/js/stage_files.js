// Files for the stage: dropped or chosen, added or put in its place, or put under the parts of an older version.

import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { postForm } from "./server.js";

/** What became of files, in one sentence. Pure. */
export function cameIn({ notes = [], lost = [], fresh = [] }) {
  const said = [];
  if (notes.length) said.push(`Left out or changed on the way in: ${notes.join("; ")}.`);
  if (lost.length) said.push(`Not there any more, so nothing moves it: ${lost.slice(0, 6).join("; ")}${lost.length > 6 ? ` and ${lost.length - 6} more` : ""}.`);
  if (fresh.length) said.push(`New in it: ${fresh.slice(0, 6).join(", ")}${fresh.length > 6 ? ` and ${fresh.length - 6} more` : ""}.`);
  return said.join(" ");
}

export function mountFiles(context) {
  const { room, parts, stage, signal, state } = context;
  const input = room.querySelector("#scene-file");
  const root = stage.root;
  let replacing = null;

  async function send(url, files, words) {
    const halt = new AbortController();
    const onShare = (share) => {
      const cancel = { words: "Cancel", run: () => halt.abort() };
      notice(share < 1 ? `Sending ${words}: ${Math.round(share * 100)} %` : `Reading ${words}`, { tone: "good", act: share < 1 ? cancel : null });
    };
    onShare(0);
    const standing = await telling(() => postForm(url, files, { onShare, signal: halt.signal }), { about: words });
    if (!standing) return;
    const said = cameIn(standing);
    state.part = null;
    project.take(standing);
    if (standing.part) context.select(standing.part); // what came is what is worked on next
    notice(said || `${words} is on the stage.`, { tone: said ? "bad" : "good", act: { words: "Undo", run: () => project.undo() } });
  }

  const names = (files) => (files.length === 1 ? files[0].name : `${files[0].name} and ${files.length - 1} more`);

  /** Ask whether what came is added or takes the stage's place; an empty stage is simply replaced. */
  function offer(files) {
    if (!files.length) return;
    const url = (how) => project.url(`stage/files?how=${how}`);
    const solid = [...files].some(({ name }) => /\.(glb|gltf)$/i.test(name));
    const fits = solid === (project.standing.space === "3d");
    const bare = !parts.querySelector(".tree-row");
    if (bare) {
      send(url("replace"), files, names(files));
      return;
    }
    if (!fits) {
      const kind = solid ? "3D" : "2D";
      const act = { words: "Replace the stage", run: () => send(url("replace"), files, names(files)) };
      notice(`${names(files)} is ${kind}, and this stage is ${solid ? "2D" : "3D"}: put it in the stage's place?`, { tone: "good", act });
      return;
    }
    notice(`${names(files)}: add it to what is on the stage, or put it in its place?`, { tone: "good", act: { words: "Add it", run: () => send(url("add"), files, names(files)) } });
    const more = document.createElement("button");
    Object.assign(more, { className: "pill", type: "button", textContent: "Replace the stage", id: "replace-stage" });
    document.getElementById("replace-stage")?.remove();
    document.getElementById("notice-act").after(more);
    const away = new AbortController();
    const clear = () => (more.remove(), away.abort());
    more.addEventListener("click", () => (clear(), send(url("replace"), files, names(files))));
    for (const id of ["notice-act", "notice-close"]) document.getElementById(id).addEventListener("click", clear, { signal: away.signal });
  }

  input.addEventListener(
    "change",
    () => {
      const files = [...input.files];
      input.value = "";
      if (replacing && files.length) send(project.url(`stage/files/${replacing}/replace`), files, names(files));
      else offer(files);
      replacing = null;
    },
    { signal },
  );
  parts.addEventListener(
    "click",
    ({ target }) => {
      const button = target.closest("button");
      if (button?.id !== "bring-in" && !button?.matches("[data-bring-in], [data-replace-file]")) return;
      replacing = button.dataset.replaceFile ?? null;
      input.click();
    },
    { signal },
  );
  let depth = 0;
  const over = (on) => root.classList.toggle("dropping", on);
  room.addEventListener("dragenter", (event) => (event.preventDefault(), (depth += 1), over(true)), { signal });
  room.addEventListener("dragover", (event) => event.preventDefault(), { signal });
  room.addEventListener("dragleave", () => over((depth -= 1) > 0), { signal });
  room.addEventListener(
    "drop",
    (event) => {
      event.preventDefault();
      depth = 0;
      over(false);
      offer([...event.dataTransfer.files]);
    },
    { signal },
  );

  context.newStage = async (kind) => {
    const standing = await project.send(`stage/new/${kind}`);
    if (standing?.lost?.length) notice(cameIn(standing), { act: { words: "Undo", run: () => project.undo() } });
  };
}
