// How late each device of this machine is, as it was measured here.

const NAME = "ft:latency";

function all() {
  try {
    return JSON.parse(localStorage.getItem(NAME) ?? "{}");
  } catch {
    return {};
  }
}

/** What is known of a device: its latency in ms, and where that is known from: measured here, or the browser's own figure. */
export function latencyOf(device, own = 0) {
  const { ms } = all()[device] ?? {};
  return Number.isFinite(ms) ? { ms, from: "measured" } : { ms: own, from: "browser" };
}

export function rememberLatency(device, { latency_s, spread_s }) {
  localStorage.setItem(NAME, JSON.stringify({ ...all(), [device]: { ms: latency_s * 1000, spread: spread_s * 1000 } }));
}

/** A device's latency in words; own is what the browser says of it, in ms. */
export function latencyWords(device, own = 0) {
  const { ms, spread } = all()[device] ?? {};
  if (Number.isFinite(ms)) return `${ms.toFixed(0)} ms ± ${spread.toFixed(0)}`;
  return own ? `${own.toFixed(0)} ms, says the browser` : "not measured";
}
