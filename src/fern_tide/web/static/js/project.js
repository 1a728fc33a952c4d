// The project of the page: where it stands, edits, undo and redo. Every edit names the revision that it was made on.

import { postJson, getJson } from "./server.js";
import { hush, notice, telling } from "./notices.js";

const LOOK_AGAIN_MS = 250;
const LOOK_ELSEWHERE_MS = 10_000;

export const project = new (class extends EventTarget {
  key = null;
  standing = null;

  open() {
    this.key = document.body.dataset.project ?? null;
    if (!this.key) return;
    this.take(JSON.parse(document.getElementById("standing").textContent), { quietly: true });
    this.#others = new BroadcastChannel(`fern-tide:${this.key}`);
    this.#others.addEventListener("message", ({ data }) => data !== this.standing.revision && this.lookAgain());
    const seen = () => document.visibilityState === "visible" && this.lookAgain();
    document.addEventListener("visibilitychange", seen);
    window.addEventListener("focus", seen);
    setInterval(seen, LOOK_ELSEWHERE_MS);
  }

  /** Ask how the project stands, which another tab or another person may have changed, and take it in; it may fail quietly. */
  lookAgain() {
    return this.#inTurn(async () => {
      const standing = await getJson(this.url("standing")).catch(() => null);
      return standing && standing.revision !== this.standing.revision ? this.take(standing) : null;
    });
  }

  url(path) {
    return `/p/${this.key}/${path}`;
  }

  /** Take in how the project stands and tell the views. */
  take(standing, { quietly = false, ...detail } = {}) {
    const before = this.standing;
    this.standing = standing;
    this.dispatchEvent(new Event("standing"));
    if (!quietly && before?.revision !== standing.revision) {
      this.#others?.postMessage(standing.revision);
      this.dispatchEvent(new CustomEvent("revised", { detail: { before, ...detail } }));
    }
    return standing;
  }

  #others = null;
  #queue = Promise.resolve();

  /** Do one thing after the other; what fails is told to who asked, and keeps nothing after it from being done. */
  #inTurn(run) {
    const mine = this.#queue.then(run);
    this.#queue = mine.catch(() => null);
    return mine;
  }

  /** Send something that makes a revision. One goes after the other, so that a quick hand does not conflict with itself. */
  send(path, plain = {}, detail = {}) {
    return this.#inTurn(() => this.#send(path, plain, detail));
  }

  /** A conflict, which only another tab can make, shows how the project stands now; what needs an analysis waits for it. */
  async #send(path, plain, detail) {
    try {
      const standing = await postJson(this.url(path), { base: this.standing.revision, ...plain });
      hush();
      return this.take(standing, detail);
    } catch (wrong) {
      if (wrong.status === 202 && (await this.#analyzed(wrong.jobs))) return this.#send(path, plain, detail);
      notice(wrong.message);
      const standing = wrong.status === 409 ? await getJson(this.url("standing")).catch(() => null) : null;
      if (standing) this.take(standing);
      else this.dispatchEvent(new CustomEvent("refused", { detail: wrong }));
      return null;
    }
  }

  /** Wait for analyses; says whether they all came to their end. */
  async #analyzed(jobs) {
    notice("The sound is still being read. What you chose comes as soon as it is.", { tone: "good" });
    this.dispatchEvent(new Event("waiting"));
    for (;;) {
      const states = await Promise.all(jobs.map((id) => getJson(`/jobs/${id}`).then(({ state }) => state, () => "done")));
      if (states.some((state) => state === "failed" || state === "cancelled")) return false;
      if (states.every((state) => state === "done")) return true;
      await new Promise((later) => setTimeout(later, LOOK_AGAIN_MS));
    }
  }

  edit(command, detail) {
    keepOnPage(command);
    return this.send("edits", { command }, detail);
  }

  undo() {
    return this.standing.undo ? this.send("undo") : null;
  }

  redo() {
    return this.standing.redo ? this.send("redo") : null;
  }

  async bake() {
    const standing = await telling(() => postJson(this.url("bake")));
    if (!standing) return;
    hush();
    this.take(standing, { quietly: true });
    this.dispatchEvent(new Event("baked"));
  }
})();

/** Write a changed thing to where the page keeps it, so that the next edit is made on it even before the answer comes. */
function keepOnPage(command) {
  const kind = command.kind.replace("put_", "");
  const kept = command[kind] && document.querySelector(`[data-${kind}-json="${command[kind].id}"]`);
  if (kept) kept.textContent = JSON.stringify(command[kind]);
}

/** Give a copy of plain data with one value replaced; the path is like "drives.0.rest". Pure. */
export function withPath(plain, path, value) {
  const [head, ...rest] = path.split(".");
  const copy = Array.isArray(plain) ? [...plain] : { ...plain };
  copy[head] = rest.length ? withPath(plain[head], rest.join("."), value) : value;
  return copy;
}

/** Give a copy of plain data with one item of a list left out. Pure. */
export function withoutPath(plain, path) {
  const at = path.lastIndexOf(".");
  const [list, index] = [path.slice(0, at), Number(path.slice(at + 1))];
  const items = list.split(".").reduce((value, key) => value[key], plain);
  return withPath(plain, list, items.filter((_, place) => place !== index));
}
