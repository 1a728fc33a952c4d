// Files that are dropped or chosen, sent with progress, and what went wrong said beside the place.

import { upload } from "./server.js";

export function mountDrop(zone, { input, words, work, onFile, signal }) {
  const first = words.textContent;
  const take = async (files) => {
    const [file] = files;
    if (!file) return;
    words.classList.remove("wrong");
    words.textContent = `Taking in ${file.name}`;
    work.hidden = false;
    const share = (done) => {
      work.firstElementChild.style.width = `${done * 100}%`;
      if (done === 1) words.textContent = `Reading ${file.name}`;
    };
    try {
      await onFile(file, share, [...files]);
      words.textContent = first;
    } catch (wrong) {
      words.classList.add("wrong");
      words.textContent = `${file.name}: ${wrong.message}`;
    } finally {
      work.hidden = true;
      input.value = "";
    }
  };
  let depth = 0;
  const over = (state) => (zone.dataset.over = String(state));
  zone.addEventListener("dragenter", (event) => (event.preventDefault(), (depth += 1), over(true)), { signal });
  zone.addEventListener("dragover", (event) => event.preventDefault(), { signal });
  zone.addEventListener("dragleave", () => over((depth -= 1) > 0), { signal });
  zone.addEventListener(
    "drop",
    (event) => {
      depth = 0;
      over(false);
      if (event.defaultPrevented) return; // it goes elsewhere
      event.preventDefault();
      take(event.dataTransfer.files);
    },
    { signal },
  );
  input.addEventListener("change", () => take(input.files), { signal });
}

/** Send a file to an address, its name beside it. */
export const send = (url, file, onShare) => upload(`${url}?name=${encodeURIComponent(file.name)}`, file, { onShare });
