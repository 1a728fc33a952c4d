// Another file under a track or an envelope, and what became of the curves.

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

  /**
   * Put another file under the track, or the envelope, that is chosen.
   * @param {File} file
   * @param {"track" | "envelope"} kind
   */
  async take(file, kind) {
    const status = await project.bring(() => send(project.url(`${kind}s/${selection.get(kind)}/file`), file));
    await Promise.all([project.came(status), this.tell(status.before, status.revision)]);
  }

  /** Tell what moved between two revisions: before files were swapped, and after. */
  async tell(since, revision) {
    this.#report = { since, revision, lines: ["Comparing the curves…"], moved: [] };
    this.show();
    await this.#compare(this.#report);
  }

  /** Ask what moved until both mixes are analyzed, or the report is closed. */
  async #compare(report) {
    try {
      const answer = await getJson(project.url(`moved?since=${report.since}`));
      Object.assign(report, { lines: reportLines(answer), moved: unlike(answer.moved) });
    } catch (wrong) {
      if (wrong instanceof Refused && wrong.status === 202) {
        work.look();
        if (!this.signal.aborted && this.#report === report) setTimeout(() => this.#compare(report), LOOK_AGAIN_MS);
        return;
      }
      report.lines = [wrong.message];
    }
    this.show();
  }

  /** Show the report, unless what it tells of is undone. */
  show() {
    const place = this.find("#swap-report");
    if (!place) return;
    place.hidden = !this.#report || project.status.revision < this.#report.revision;
    if (!this.#report) return;
    const lines = this.#report.lines.map((textContent, at) => Object.assign(document.createElement("p"), { textContent, className: at === 0 ? "font-semibold" : "" }));
    const close = Object.assign(document.createElement("button"), { type: "button", className: "btn-quiet text-11! px-0! py-0.5!", textContent: "Close this report" });
    close.addEventListener("click", () => ((this.#report = null), this.show()));
    place.replaceChildren(...lines, ...this.#report.moved.map(drawMoved), close);
  }
}
