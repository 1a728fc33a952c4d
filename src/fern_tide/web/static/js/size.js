// How large everything is drawn: kept in a cookie, so that a page comes in its size at once.

import { byId } from "./dom.js";
import { forgetLetters } from "./canvas.js";

const YEAR_S = 365 * 24 * 3600;

export function mountSize() {
  const choice = byId("size");
  choice?.addEventListener("change", () => {
    document.cookie = `size=${choice.value}; path=/; max-age=${YEAR_S}; samesite=strict`;
    document.documentElement.dataset.size = choice.value;
    forgetLetters();
  });
}
