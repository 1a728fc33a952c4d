// The sound of another tab, or of a whole screen, as the browser shares it: a source for the capture of microphone.js.

import { PLAIN } from "./microphone.js";
import { Refused } from "./server.js";

const NO_TAB = {
  NotAllowedError: { what: "No tab was shared.", remedy: "Press Start again, and choose one with its sound." },
  NotFoundError: { what: "There is no tab to share.", remedy: "Open the tab that plays, then press Start again." },
};
const SILENT = { what: "The tab was shared without its sound.", remedy: "Press Start again, choose a tab, and let its sound be shared too." };

/** A sentence for a tab that cannot be had. Pure. */
export const tabWords = (name) => NO_TAB[name] ?? { what: "This browser does not share the sound of a tab.", remedy: "Use a microphone, or another browser." };

export class TabSound {
  /** @param {{ onLost: () => any }} how onLost() hears that it is shared no more */
  constructor({ onLost }) {
    this.onLost = onLost;
  }

  async into(context, capture) {
    let stream;
    try {
      stream = await navigator.mediaDevices.getDisplayMedia({ audio: PLAIN, video: true });
    } catch (wrong) {
      throw new Refused(0, tabWords(wrong.name));
    }
    const end = () => stream.getTracks().forEach((track) => track.stop());
    if (!stream.getAudioTracks().length) {
      end();
      throw new Refused(0, SILENT);
    }
    for (const track of stream.getAudioTracks()) track.addEventListener("ended", () => this.onLost());
    context.createMediaStreamSource(stream).connect(capture);
    return { end };
  }
}
