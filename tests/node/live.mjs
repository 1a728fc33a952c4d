// What a feed sends of what it hears, and when, for tests/node/test_live.py.

import { Feed } from "../../src/fern_tide/web/static/js/live_feed.js";

const wait = () => new Promise((done) => setTimeout(done, 0));

/** Feed blocks of given lengths, each [at in s, arrives at in ms, samples]; answers take so many blocks' time. */
export async function fed(blocks, { rate, hz, channels = 1, slow = 0, fails = false }) {
  const sent = [];
  const heard = [];
  let wrong = 0;
  let clock = 0;
  let free = null;
  const send = async (samples) => {
    sent.push(Array.from(samples));
    if (fails) throw new Error("no");
    if (slow) await new Promise((done) => (free = done));
    return sent.length;
  };
  const feed = new Feed({ rate, hz, channels, now: () => clock, send, onAnswer: (answer, at) => heard.push([answer, at]), onWrong: () => (wrong += 1) });
  let count = 0;
  for (const [at, arrives, samples] of blocks) {
    clock = arrives;
    feed.add({ at, blocks: [samples.map((channel) => Float32Array.from(channel))] });
    await wait();
    count += 1;
    if (slow && count % slow === 0) {
      free?.();
      await wait();
    }
  }
  return { sent, heard, wrong };
}
