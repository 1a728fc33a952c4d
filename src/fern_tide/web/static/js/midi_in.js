// Notes and controllers of MIDI devices, through the browser's own interface.

import { Refused } from "./server.js";

const NO_MIDI = { what: "This browser gives no MIDI devices here.", remedy: "Use the keys and the pointer, or bring a MIDI file in." };
const NO_DEVICE = { what: "No MIDI device is plugged in.", remedy: "Plug one in, and choose it again." };

/** What a MIDI message says: a tap with its strength, a controller as a level, or nothing. Pure. */
export function heardOf([status = 0, one = 0, two = 0]) {
  const kind = status & 0xf0;
  if (kind === 0x90 && two > 0) return { tap: two / 127 };
  if (kind === 0xb0 && one < 120) return { level: two / 127 };
  if (kind === 0xe0) return { level: (one + 128 * two) / 16383 };
  return null;
}

/** Listen to all devices until a signal; throws where there is none to be had. */
export async function listenToMidi({ onTap, onLevel, signal }) {
  /** @type {any} */
  let access;
  try {
    access = await navigator.requestMIDIAccess();
  } catch {
    throw new Refused(0, NO_MIDI);
  }
  const inputs = [...access.inputs.values()];
  if (!inputs.length) throw new Refused(0, NO_DEVICE);
  for (const input of inputs) {
    const hear = ({ data, timeStamp }) => {
      const { tap, level } = heardOf(data) ?? {};
      if (tap !== undefined) onTap(tap, timeStamp);
      if (level !== undefined) onLevel(level, timeStamp);
    };
    input.addEventListener("midimessage", hear, { signal });
  }
}
