// Clicks that are heard before something is recorded.

const CLICK_S = 0.03;

/** How a count-in that is chosen goes: so many bars, or with an s so many seconds with a click each. Pure. */
export function countOf(chosen, { perBar, bpm }) {
  const count = Number.parseFloat(chosen) || 0;
  return chosen.endsWith("s") ? { bars: 1, perBar: count, bpm: 60 } : { bars: count, perBar, bpm };
}

/** When clicks are heard, in seconds from now, and when what they lead to begins. Pure. */
export function clicksOf({ bars, perBar, bpm }) {
  const beat = 60 / (bpm > 0 ? bpm : 120);
  const count = Math.round(bars * perBar);
  return { clicks: Array.from({ length: count }, (_, at) => ({ at: at * beat, strong: at % perBar === 0 })), lasts: count * beat };
}

/** Click, and end when it is over; says whether it came to its end. */
export async function countIn(how, signal) {
  const { clicks, lasts } = clicksOf(how);
  if (!clicks.length) return true;
  const context = new AudioContext();
  for (const { at, strong } of clicks) {
    const [tone, gain] = [context.createOscillator(), context.createGain()];
    tone.frequency.value = strong ? 1760 : 1320;
    gain.gain.setValueAtTime(0.4, context.currentTime + at);
    gain.gain.exponentialRampToValueAtTime(1e-3, context.currentTime + at + CLICK_S);
    tone.connect(gain).connect(context.destination);
    tone.start(context.currentTime + at);
    tone.stop(context.currentTime + at + CLICK_S);
  }
  const over = await new Promise((end) => {
    const timer = setTimeout(() => end(true), lasts * 1000);
    signal.addEventListener("abort", () => (clearTimeout(timer), end(false)), { once: true });
  });
  context.close();
  return over;
}
