// The projects page.

import { byId } from "./dom.js";
import { mountDrop, send } from "./drop.js";
import { notice, telling } from "./notices.js";
import { postForm, postJson } from "./server.js";

/** Whether files begin a project by their scene: an SVG, a glTF file with what it needs, or a picture. Pure. */
export const isScene = (files) => files.some(({ name }) => /\.(svgz?|gltf|glb|png|jpe?g|webp)$/i.test(name));

const isSound = ({ type, name }) => /^(audio|video)\//.test(type) || /\.(wav|aiff?|flac|ogg|opus|mp3|m4a|aac|mka?|mp4|mov|webm)$/i.test(name);

/** Bring sounds that came with a scene into its project, one after the other; gives where to go then. */
async function withSounds(url, sounds, share) {
  if (!sounds.length) return url;
  const project = url.slice(0, url.lastIndexOf("/"));
  for (const sound of sounds) await send(`${project}/tracks`, sound, share);
  return `${project}/bench`;
}

const isProjectFile = (file) => file.name.toLowerCase().endsWith(".ferntide");

export function mountProjects(room, signal) {
  const find = (id) => byId(id);
  const onFile = async (file, share, files) => {
    if (isScene(files)) {
      const { url } = await postForm("/projects/scene", files.filter((one) => !isSound(one)), { onShare: share, signal });
      window.location.href = await withSounds(url, files.filter(isSound), share);
      return;
    }
    const made = await send(isProjectFile(file) ? "/projects/import" : "/projects", file, share);
    window.location.href = made.url;
  };
  mountDrop(find("drop"), { input: find("file"), words: find("drop-words"), work: find("drop-work"), onFile, signal });
  const projectFile = find("project-file");
  projectFile.addEventListener(
    "change",
    () => {
      const files = new DataTransfer();
      files.items.add(projectFile.files[0]);
      find("file").files = files.files;
      find("file").dispatchEvent(new Event("change"));
    },
    { signal },
  );
  find("choose").addEventListener("click", () => find("file").click(), { signal });
  find("open-file").addEventListener("click", () => projectFile.click(), { signal });
  find("open-demo").addEventListener(
    "click",
    async (event) => {
      event.target.disabled = true;
      event.target.textContent = "Making the demo";
      const made = await telling(() => postJson("/projects/demo"));
      if (made) window.location.href = made.url;
      event.target.disabled = false;
      event.target.textContent = "Open the demo";
    },
    { signal },
  );
  room.addEventListener("click", (event) => remove(event.target.closest("[data-delete]")), { signal });
}

async function remove(button) {
  if (!button) return;
  const key = button.dataset.delete;
  const gone = await telling(() => postJson(`/p/${key}/delete`));
  if (!gone) return;
  const card = button.closest("li");
  card.hidden = true;
  const back = async () => {
    if (await telling(() => postJson(`/p/${key}/put-back`))) card.hidden = false;
  };
  notice(`${gone.name} was deleted.`, { tone: "good", act: { words: "Put it back", run: back } });
}
