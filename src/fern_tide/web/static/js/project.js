// The project of the page: where it stands, edits, undo and redo. Every edit names the revision that it was made on.

import { byId, onPage } from "./dom.js";
import { postJson, getJson } from "./server.js";
import { hush, notice, sayBeside, telling } from "./notices.js";
import { openSelection, selection } from "./selection.js";

const LOOK_AGAIN_MS = 250;
const LOOK_ELSEWHERE_MS = 10_000;
const TURNS = ["undo", "redo"]; // mean the revision that was seen, and no other

export const project = new (class extends EventTarget {
  key = null;
  status = null;

  open() {
    this.key = document.body.dataset.project ?? null;
    if (!this.key) return;
    openSelection(this.key);
    this.take(JSON.parse(byId("status").textContent), { quietly: true });
    this.#others = new BroadcastChannel(`fern-tide:${this.key}`);
    this.#others.addEventListener("message", ({ data }) => data !== this.status.revision && this.lookAgain());
    const seen = () => document.visibilityState === "visible" && this.lookAgain();
    onPage("visibilitychange", seen);
    window.addEventListener("focus", seen);
    window.addEventListener("beforeunload", (event) => this.#unstored && event.preventDefault()); // the browser asks
    setInterval(seen, LOOK_ELSEWHERE_MS);
  }

  /** Ask how the project stands, which another tab or another person may have changed, and take it in; it may fail quietly. */
  lookAgain({ always = false } = {}) {
    return this.#inTurn(async () => {
      const status = await getJson(this.url("status")).catch(() => null);
      return status && (always || status.revision !== this.status.revision) ? this.take(status) : null;
    });
  }

  url(path) {
    return `/p/${this.key}/${path}`;
  }

  /** Take in how the project stands, with what is to be selected next, and tell the views. */
  take(status, { quietly = false, ...detail } = {}) {
    const before = this.status;
    this.status = status;
    if (status.chosen) selection.set(status.chosen);
    this.dispatchEvent(new Event("status"));
    if (!quietly && before?.revision !== status.revision) {
      this.#others?.postMessage(status.revision);
      this.dispatchEvent(new CustomEvent("revised", { detail: { before, ...detail } }));
    }
    return status;
  }

  /** Send a file, or anything else that makes a revision out of turn; gives its answer, for came(). */
  async bring(send) {
    this.#underWay += 1;
    try {
      return await send();
    } finally {
      this.#underWay -= 1;
      this.#brought += 1;
    }
  }

  /**
   * Take in what came of a file, or of anything else that was not sent in turn: edits may have been made since its answer was
   * given, so that how the project stands is asked again.
   */
  came(answer) {
    return this.#inTurn(async () => this.take({ ...(await getJson(this.url("status")).catch(() => answer)), chosen: answer.chosen }));
  }

  #unstored = 0; // what the hand did that waits to be sent, or for its answer
  #underWay = 0;
  #brought = 0;
  #others = null;
  #queue = Promise.resolve();

  /**
   * Do one thing after the other; what fails is told to who asked, and keeps nothing after it from being done.
   * @param {() => any} run
   * @returns {Promise<any>} what it gives
   */
  #inTurn(run) {
    const mine = this.#queue.then(run);
    this.#queue = mine.catch(() => null);
    return mine;
  }

  /** Do in turn what stores something that the hand did: the page is not left unasked before it is answered. */
  #storing(run) {
    this.#unstored += 1;
    return this.#inTurn(run).finally(() => (this.#unstored -= 1));
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
    return this.#storing(() => this.#send(path, plain, { field, detail }));
  }

  /**
   * Send what no hand asked for, in its turn, while something still holds; what fails is thrown to who sends it.
   * @returns {Promise<any>} how the project stands then; null where it was not sent
   */
  offer(path, still) {
    return this.#inTurn(async () => (still() ? this.take(await postJson(this.url(path), { base: this.status.revision })) : null));
  }

  /**
   * A conflict shows how the project stands now. Where it may come of what this page brought in out of turn, it is sent again
   * on that; otherwise another tab made it. What needs an analysis waits for it.
   */
  async #send(path, plain, { field, detail, again = false }) {
    const brought = this.#brought;
    try {
      const status = await postJson(this.url(path), { base: this.status.revision, ...plain });
      hush();
      return this.take(status, detail);
    } catch (wrong) {
      if (wrong.status === 202 && (await this.#waited(wrong.jobs))) return this.#send(path, plain, { field, detail });
      const status = wrong.status === 409 ? await getJson(this.url("status")).catch(() => null) : null;
      if (status && !again && !TURNS.includes(path) && (this.#underWay || this.#brought !== brought)) {
        this.take(status);
        return this.#send(path, plain, { field, detail, again: true });
      }
      this.#sayRefused(wrong, field);
      if (status) this.take(status);
      else this.dispatchEvent(new CustomEvent("refused", { detail: { wrong, command: plain.command } }));
      return null;
    }
  }

  #sayRefused({ status, message }, field) {
    if (status === 422 && field?.matches("input, select") && field.isConnected) sayBeside(field, message);
    else notice(message);
  }

  #waited(jobs) {
    notice("The sound is still being read. What you chose comes as soon as it is.", { tone: "good" });
    return this.analyzed(jobs);
  }

  /** Wait for analyses; says whether they all came to their end. */
  async analyzed(jobs) {
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

  /** Undo what is there to be undone when all that was sent before is answered. */
  undo() {
    return this.#turn("undo");
  }

  redo() {
    return this.#turn("redo");
  }

  #turn(way) {
    return this.#storing(() => (this.status[way] ? this.#send(way, {}, { field: null, detail: {} }) : null));
  }

  async bake() {
    const ask = async () => this.take(await postJson(this.url("bake")), { quietly: true });
    const status = await this.#inTurn(() => telling(ask));
    if (!status) return;
    hush();
    this.dispatchEvent(new Event("baked"));
  }
})();
