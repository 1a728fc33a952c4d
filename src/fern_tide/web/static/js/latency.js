// How late each device of this machine is, as it was measured here.

const NAME = "ft:latency";

function all() {
  try {
    return JSON.parse(localStorage.getItem(NAME) ?? "{}");
  } catch {
    return {};
  }
}

/** What is known of a device: its latency in ms, and where that is known from. */
export function latencyOf(device) {
  const { ms } = all()[device] ?? {};
  return Number.isFinite(ms) ? { ms, from: "measured" } : { ms: 0, from: "browser" };
}

export function rememberLatency(device, { latency_s, spread_s }) {
  localStorage.setItem(NAME, JSON.stringify({ ...all(), [device]: { ms: latency_s * 1000, spread: spread_s * 1000 } }));
}

/** A device's latency in words. */
export function latencyWords(device) {
  const { ms, spread } = all()[device] ?? {};
  return Number.isFinite(ms) ? `${ms.toFixed(0)} ms ± ${spread.toFixed(0)}` : "not measured";
}
