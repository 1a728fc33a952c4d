// The project of the page: where it stands, edits, undo and redo. Every edit names the revision that it was made on.

import { byId, onPage } from "./dom.js";
import { postJson, getJson } from "./server.js";
import { hush, notice, sayBeside, telling } from "./notices.js";
import { openSelection, selection } from "./selection.js";

const LOOK_AGAIN_MS = 250;
const LOOK_ELSEWHERE_MS = 10_000;

export const project = new (class extends EventTarget {
  key = null;
  standing = null;

  open() {
    this.key = document.body.dataset.project ?? null;
    if (!this.key) return;
    openSelection(this.key);
    this.take(JSON.parse(byId("standing").textContent), { quietly: true });
    this.#others = new BroadcastChannel(`fern-tide:${this.key}`);
    this.#others.addEventListener("message", ({ data }) => data !== this.standing.revision && this.lookAgain());
    const seen = () => document.visibilityState === "visible" && this.lookAgain();
    onPage("visibilitychange", seen);
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

  /** Take in how the project stands, with what is to be selected next, and tell the views. */
  take(standing, { quietly = false, ...detail } = {}) {
    const before = this.standing;
    this.standing = standing;
    if (standing.chosen) selection.set(standing.chosen);
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

  /** Wait until all that was sent is answered. */
  settled() {
    return this.#queue;
  }

  /**
   * Send something that makes a revision. One goes after the other, so that a quick hand does not conflict with itself.
   * What is refused is said beside the field that it came from, if any.
   * @param {string} path
   * @param {any} [plain]
   * @param {any} [how]
   * @returns {Promise<any>} how the project stands then; null for what was refused
   */
  send(path, plain = {}, { field = null, ...detail } = {}) {
    return this.#inTurn(() => this.#send(path, plain, { field, detail }));
  }

  /** A conflict, which only another tab can make, shows how the project stands now; what needs an analysis waits for it. */
  async #send(path, plain, { field, detail }) {
    try {
      const standing = await postJson(this.url(path), { base: this.standing.revision, ...plain });
      hush();
      return this.take(standing, detail);
    } catch (wrong) {
      if (wrong.status === 202 && (await this.#analyzed(wrong.jobs))) return this.#send(path, plain, { field, detail });
      if (wrong.status === 422 && field?.matches("input, select") && field.isConnected) sayBeside(field, wrong.message);
      else notice(wrong.message);
      const standing = wrong.status === 409 ? await getJson(this.url("standing")).catch(() => null) : null;
      if (standing) this.take(standing);
      else this.dispatchEvent(new CustomEvent("refused", { detail: { wrong, command: plain.command } }));
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

  /** @param {any} command @param {any} [detail] */
  edit(command, detail) {
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
