// A file that is dropped beside the places for files: it must not open in the browser in the page's stead.

import { byId, first, onPage } from "./dom.js";
import { notice } from "./notices.js";

/** The inputs that take what is dropped on the room, by room. */
const INPUTS = { projects: "#file", sound: "#file", stage: "#scene-file" };
const ELSEWHERE = "Sounds go into the Sound room, drawings and models onto the Stage. Go there and drop it again.";

/** Take files wherever they are dropped: into the room's own input, or not at all, and then that is said. */
export function mountDropAnywhere() {
  const withFiles = (event) => event.dataTransfer?.types.includes("Files") && !event.defaultPrevented;
  onPage("dragover", (event) => withFiles(event) && event.preventDefault());
  onPage("drop", (event) => {
    if (!withFiles(event)) return;
    event.preventDefault();
    const input = first(INPUTS[byId("room")?.dataset.room]);
    if (!input) {
      notice(ELSEWHERE);
      return;
    }
    input.files = event.dataTransfer.files;
    input.dispatchEvent(new Event("change", { bubbles: true }));
  });
}
