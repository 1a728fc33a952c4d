// Samples as a WAV file: 32-bit float, as they were heard.

/** The bytes of a WAV file of channels of equal length. Pure. */
export function wavOf(channels, rate) {
  const [count, length] = [channels.length, channels[0].length];
  const bytes = 4 * count * length;
  const view = new DataView(new ArrayBuffer(58 + bytes));
  const text = (at, words) => [...words].forEach((letter, index) => view.setUint8(at + index, letter.charCodeAt(0)));
  text(0, "RIFF");
  view.setUint32(4, 50 + bytes, true);
  text(8, "WAVEfmt ");
  view.setUint32(16, 18, true);
  view.setUint16(20, 3, true); // IEEE float
  view.setUint16(22, count, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, 4 * count * rate, true);
  view.setUint16(32, 4 * count, true);
  view.setUint16(34, 32, true);
  text(38, "fact");
  view.setUint32(42, 4, true);
  view.setUint32(46, length, true);
  text(50, "data");
  view.setUint32(54, bytes, true);
  for (let at = 0; at < length; at += 1) for (let channel = 0; channel < count; channel += 1) view.setFloat32(58 + 4 * (at * count + channel), channels[channel][at], true);
  return new Uint8Array(view.buffer);
}

/** Blocks of channels put together; a channel that is missing in a block is like the first. Pure. */
export function joined(blocks) {
  const count = Math.max(1, ...blocks.map((block) => block.length));
  const length = blocks.reduce((sum, block) => sum + block[0].length, 0);
  return Array.from({ length: count }, (_, channel) => {
    const all = new Float32Array(length);
    let at = 0;
    for (const block of blocks) {
      all.set(block[channel] ?? block[0], at);
      at += block[0].length;
    }
    return all;
  });
}

/** When clicks set in, in seconds of some samples: louder than a third of the loudest, no two within a fifth of a second. Pure. */
export function clicksIn(samples, rate) {
  const loudest = samples.reduce((most, value) => Math.max(most, Math.abs(value)), 0);
  const times = [];
  let last = -rate;
  for (let at = 0; at < samples.length && loudest > 0.003; at += 1) {
    if (Math.abs(samples[at]) < loudest / 3) continue;
    if (at - last > 0.2 * rate) times.push(at / rate);
    last = at;
  }
  return times;
}
