// Files for the stage: dropped or chosen, added or put in its place, or put under the parts of an older version.

import { Component } from "./component.js";
import { notice, telling } from "./notices.js";
import { project } from "./project.js";
import { getJson, postForm } from "./server.js";

const MOST_NAMED = 6;

const some = (names, between) => `${names.slice(0, MOST_NAMED).join(between)}${names.length > MOST_NAMED ? ` and ${names.length - MOST_NAMED} more` : ""}`;

/** What became of files, in one sentence. Pure. */
export function cameIn({ notes = [], lost = [], fresh = [] }) {
  const words = [];
  if (notes.length) words.push(`Left out or changed on the way in: ${notes.join("; ")}.`);
  if (lost.length) words.push(`Not there any more, so nothing moves it: ${some(lost, "; ")}.`);
  if (fresh.length) words.push(`New in it: ${some(fresh, ", ")}.`);
  return words.join(" ");
}

const namesOf = (files) => (files.length === 1 ? files[0].name : `${files[0].name} and ${files.length - 1} more`);
const isSolid = (files) => [...files].some(({ name }) => /\.(glb|gltf)$/i.test(name));

/** The one file that others of a drop belong to: the model, or the only one there is; null of several drawings or models. Pure. */
export function mainOf(files) {
  const models = [...files].filter((file) => isSolid([file]));
  return models.length === 1 ? models[0] : files.length === 1 ? files[0] : null;
}

const urlFor = (how) => project.url(`stage/files?how=${how}`);

export class StageFiles extends Component {
  #replaces = null;
  #depth = 0;

  /** @param {any} room @param {AbortSignal} signal @param {{ stage: any, isBare: () => boolean }} how isBare() says that the stage is empty */
  constructor(room, signal, { stage, isBare }) {
    super(room, signal);
    this.stage = stage;
    this.isBare = isBare;
    this.input = this.find("#scene-file");
    this.on(this.input, "change", () => this.#chosen());
    this.on(room, "click", ({ target }) => this.#pressed(target.closest("#bring-in, [data-bring-in], [data-replace-file]")));
    this.on(room, "change", ({ target }) => target.id === "new-stage" && target.value && this.#newStage(target));
    this.on(room, "dragenter", (event) => (event.preventDefault(), this.#over(1)));
    this.on(room, "dragover", (event) => event.preventDefault());
    this.on(room, "dragleave", () => this.#over(-1));
    this.on(room, "drop", (event) => this.#dropped(event));
  }

  #over(by) {
    this.#depth += by;
    this.stage.root.classList.toggle("dropping", this.#depth > 0);
  }

  #dropped(event) {
    this.#over(-this.#depth);
    if (event.defaultPrevented) return; // it goes elsewhere
    event.preventDefault();
    this.#offer([...event.dataTransfer.files]);
  }

  #pressed(button) {
    if (!button) return;
    this.#replaces = button.dataset.replaceFile ?? null;
    this.input.click();
  }

  #chosen() {
    const files = [...this.input.files];
    this.input.value = "";
    if (this.#replaces && files.length) this.#send(project.url(`stage/files/${this.#replaces}/replace`), files);
    else this.#offer(files);
    this.#replaces = null;
  }

  /** Ask whether what came is added, or takes the place of the stage or of the file that it is newer than; an empty stage is simply replaced. */
  async #offer(files) {
    if (!files.length) return;
    const replace = () => this.#send(urlFor("replace"), files);
    const [solid, names] = [isSolid(files), namesOf(files)];
    if (this.isBare()) return replace();
    if (solid !== (project.status.space === "3d")) {
      const [kind, other] = solid ? ["3D", "2D"] : ["2D", "3D"];
      return notice(`${names} is ${kind}, and this stage is ${other}: put it in the stage's place?`, { tone: "good", act: { words: "Replace the stage", run: replace } });
    }
    const add = { words: "Add it", run: () => this.#send(urlFor("add"), files) };
    const old = await this.#olderThan(mainOf(files));
    if (old) {
      const act = { words: "Put it in its place", run: () => this.#send(project.url(`stage/files/${old.id}/replace`), files) };
      return notice(`${names} looks like a newer file of ${old.name}: parts of the same names stay linked.`, { tone: "good", act, other: add });
    }
    const other = { words: "Replace the stage", run: replace };
    return notice(`${names}: add it to what is on the stage, or put it in its place?`, { tone: "good", act: add, other });
  }

  /** The file of the stage that a file looks like a newer version of, if any. */
  async #olderThan(file) {
    if (!file) return null;
    const asked = new URLSearchParams({ scene: file.name });
    return (await telling(() => getJson(project.url(`newer?${asked}`))))?.newer[0] ?? null;
  }

  /** Send files and take in what came of them. Cancel stops the sending; once they are being read, it takes them back. */
  async #send(url, files) {
    const names = namesOf(files);
    const halt = new AbortController();
    let [sent, unwanted] = [false, false];
    const onShare = (share) => {
      sent = share >= 1;
      if (!unwanted) notice(sent ? `Reading ${names}` : `Sending ${names}: ${Math.round(share * 100)} %`, { tone: "good", act: { words: "Cancel", run: cancel } });
    };
    const cancel = () => {
      unwanted = true;
      if (sent) notice(`${names} is taken back as soon as it is read.`, { tone: "good" });
      else halt.abort();
    };
    onShare(0);
    const status = await telling(() => project.bring(() => postForm(url, files, { onShare, signal: halt.signal })), { about: names });
    if (!status) return;
    await project.came(status); // with what came selected: it is worked on next
    if (unwanted) {
      const isLast = project.status.revision === status.revision;
      if (!isLast) notice(`${names} was read, and you did something since: undo takes that back first, and then the file.`, { act: { words: "Undo", run: () => project.undo() } });
      else if (await project.undo()) notice(`${names} was taken back: all is as it was.`, { tone: "good", act: { words: "Bring it in after all", run: () => project.redo() } });
      return;
    }
    const words = cameIn(status);
    notice(words || `${names} is on the stage.`, { tone: words ? "bad" : "good", act: { words: "Undo", run: () => project.undo() } });
  }

  async #newStage(list) {
    const status = await project.send(`stage/new/${list.value}`);
    list.value = "";
    if (status?.lost?.length) notice(cameIn(status), { act: { words: "Undo", run: () => project.undo() } });
  }
}
