// The projects page.

import { byId } from "./dom.js";
import { eachOf, inWords, mountDrop, send } from "./drop.js";
import { nameWithout, songOf, takenAs } from "./file_names.js";
import { leaveWord, notice, telling } from "./notices.js";
import { postForm, postJson } from "./server.js";
import { cameIn } from "./stage_files.js";

/** Whether files begin a project by their scene: an SVG, a glTF file with what it needs, or a picture. Pure. */
export const isScene = (files) => files.some(({ name }) => /\.(svgz?|gltf|glb|png|jpe?g|webp)$/i.test(name));

const isSound = ({ type, name }) => /^(audio|video)\//.test(type) || /\.(wav|aiff?|flac|ogg|opus|mp3|m4a|aac|mka?|mp4|mov|webm)$/i.test(name);

const isProjectFile = ({ name }) => /\.ferntide$/i.test(name);

/**
 * What files that come together are: whole projects, what makes the stage, sounds, and curves and notes. Beside a glTF file
 * may lie what it needs; any other file is taken for a sound, and refused by name if it is none. Pure.
 */
export function kindsOf(files) {
  const projects = files.filter(isProjectFile);
  const curves = files.filter((file) => takenAs(file.name) === "curves");
  const rest = files.filter((file) => !projects.includes(file) && !curves.includes(file));
  const hasModel = rest.some(({ name }) => /\.(gltf|glb)$/i.test(name));
  const stage = rest.filter((file) => (hasModel ? !isSound(file) : isScene([file])));
  return { projects, stage, sounds: rest.filter((file) => !stage.includes(file)), curves };
}

/** Open whole projects: one is gone to, several are in the list then. Gives what was refused. */
async function openProjects(files, share) {
  const urls = [];
  const refused = await eachOf(files, async (file) => urls.push((await send("/projects/import", file, share)).url));
  if (urls.length) leaveWord(inWords(refused));
  if (urls.length) window.location.href = files.length === 1 ? urls[0] : "/";
  return refused;
}

/** Start one project with all files of a drop, and go there; gives what was refused where none could be started. */
async function begin(files, share, signal) {
  const { projects, stage, sounds, curves } = kindsOf(files);
  if (projects.length === files.length) return openProjects(files, share);
  if (projects.length) return files.map(({ name }) => ({ name, fault: `${projects[0].name} is a whole project: drop it without other files.` }));
  const words = [];
  let url = null;
  if (stage.length) {
    const started = await postForm("/projects/scene", stage, { onShare: (done) => share(stage[0], done), signal });
    url = started.url;
    words.push(cameIn(started));
  }
  let n = 0;
  const song = sounds.length ? songOf(sounds.map(({ name }) => name)) : "";
  const refused = await eachOf([...sounds, ...curves], async (file) => {
    const name = nameWithout(song, file.name);
    if (url) await send(`${url.slice(0, url.lastIndexOf("/"))}/${takenAs(file.name)}`, file, share, { name });
    else url = (await send("/projects", file, share, { name, song })).url;
    n += 1;
  });
  if (!url) return refused;
  leaveWord([...words, inWords(refused)].filter(Boolean).join(" "));
  window.location.href = n ? `${url.slice(0, url.lastIndexOf("/"))}/bench` : url;
  return [];
}

export function mountProjects(room, signal) {
  const find = (id) => byId(id);
  mountDrop(find("drop"), { onFiles: (files, share) => begin(files, share, signal), signal });
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
