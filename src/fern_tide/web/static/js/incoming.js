// Files that are dropped on the Sound room: new tracks and envelopes, or newer versions of what is there. One undo takes all back.

import { eachOf, send } from "./drop.js";
import { nameWithout, songOf, takenAs } from "./file_names.js";
import { notice } from "./notices.js";
import { project } from "./project.js";
import { getJson } from "./server.js";

const MOST_NAMED = 4;

/** Names as 'a, b and c', of many the first few. Pure. */
export function listed(names) {
  const some = names.length > MOST_NAMED ? [...names.slice(0, MOST_NAMED - 1), `${names.length - MOST_NAMED + 1} more`] : names;
  return some.length > 1 ? `${some.slice(0, -1).join(", ")} and ${some.at(-1)}` : (some[0] ?? "");
}

/** What is asked of files that look like newer versions, and what can be answered. Pure. */
export function question(newer, files) {
  const one = newer.length === 1;
  const others = files - newer.length;
  const rest = others ? ` ${others} other ${others === 1 ? "file comes" : "files come"} in as new.` : "";
  const words = `${listed(newer.map(({ file }) => file))} ${one ? "looks like a newer file" : "look like newer files"} of ${listed(newer.map(({ name }) => name))}.${rest}`;
  return { words, swap: one ? `Put it under ${newer[0].name}` : "Put each under its own", add: `Add ${files === 1 ? "it" : "all"} as new` };
}

export class Incoming {
  /** @param {{ swap: any }} how swap tells what moved */
  constructor({ swap }) {
    this.swap = swap;
  }

  /** Ask what files are that look like newer versions of what is there; go(newer) goes on. */
  async ask(files, go) {
    const asked = new URLSearchParams(files.map(({ name }) => [takenAs(name) === "curves" ? "curve" : "sound", name]));
    const { newer } = await getJson(project.url(`newer?${asked}`));
    if (!newer.length) return go([]);
    const { words, swap, add } = question(newer, files.length);
    notice(words, { tone: "good", act: { words: swap, run: () => go(newer) }, other: { words: add, run: () => go([]) } });
    return null;
  }

  /** Send files one after the other: those that are newer versions under what they are of. Gives what was refused. */
  async bring(files, share, newer) {
    const sounds = files.map(({ name }) => name).filter((name) => takenAs(name) === "tracks");
    const song = sounds.length > 1 ? songOf(sounds) : "";
    let [joined, before] = [null, null]; // revisions
    const swapped = [];
    const refused = await eachOf(files, async (file) => {
      const old = newer.find((item) => item.file === file.name);
      const path = old ? `${old.kind}s/${old.id}/file` : takenAs(file.name);
      const more = { name: nameWithout(song, file.name), ...(joined && { joined }) };
      const status = await project.bring(() => send(project.url(path), file, share, more));
      joined = status.revision;
      if (old) swapped.push(old.name);
      before ??= status.before;
      await project.came(status);
    });
    if (swapped.length) {
      const undo = { words: "Undo", run: () => project.undo() };
      if (!refused.length) notice(`${listed(swapped)} ${swapped.length === 1 ? "has a newer file" : "have newer files"}: what moved is below the tracks.`, { tone: "good", act: undo });
      this.swap.tell(before, joined);
    }
    return refused;
  }
}
