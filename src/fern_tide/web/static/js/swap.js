// Another mix under a track, and what became of the curves.

import { Component } from "./component.js";
import { send } from "./drop.js";
import { project } from "./project.js";
import { selection } from "./selection.js";
import { getJson, Refused } from "./server.js";
import { drawMoved, reportLines, unlike } from "./swap_report.js";
import { work } from "./work.js";

const LOOK_AGAIN_MS = 700;

export class Swap extends Component {
  #report = null;

  async take(file) {
    const status = await project.bring(() => send(project.url(`tracks/${selection.get("track")}/file`), file));
    this.#report = { since: status.before, lines: ["Comparing the curves…"], moved: [] };
    await project.came(status);
    await this.#compare();
  }

  /** Ask what moved until both mixes are analyzed. */
  async #compare() {
    try {
      const answer = await getJson(project.url(`moved?since=${this.#report.since}`));
      Object.assign(this.#report, { lines: reportLines(answer), moved: unlike(answer.moved) });
    } catch (wrong) {
      if (wrong instanceof Refused && wrong.status === 202) {
        work.look();
        if (!this.signal.aborted) setTimeout(() => this.#compare(), LOOK_AGAIN_MS);
        return;
      }
      this.#report.lines = [wrong.message];
    }
    this.show();
  }

  show() {
    const place = this.find("#swap-report");
    if (!place || !this.#report) return;
    const lines = this.#report.lines.map((textContent, at) => Object.assign(document.createElement("p"), { textContent, className: at === 0 ? "font-semibold" : "" }));
    place.hidden = false;
    place.replaceChildren(...lines, ...this.#report.moved.map(drawMoved));
  }
}
