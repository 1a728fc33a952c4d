// Going to another room with something chosen there.

import { project } from "./project.js";

/** Where the Bench keeps what is chosen on it. */
export const benchKey = () => `ft:${project.key}:bench`;

/** Go to the Bench with a mapping, and one of its drives, chosen. */
export function openOnBench(mapping, drive = 0) {
  sessionStorage.setItem(benchKey(), JSON.stringify({ mapping, drive }));
  document.querySelector('#rooms a[href$="/bench"]').click();
}

/** Let everything marked data-bench inside root open its mapping on the Bench. */
export function mountBenchLinks(root, { signal }) {
  root.addEventListener(
    "click",
    (event) => {
      const link = event.target.closest("[data-bench]");
      if (!link) return;
      event.preventDefault();
      openOnBench(link.dataset.bench, Number(link.dataset.drive ?? 0));
    },
    { signal },
  );
}
