// Samples as a WAV file: 32-bit float, as they were heard.


/** Blocks of channels put together; a channel that is missing in a block is like the first. Pure. */
function joined(blocks) {
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

// Samples on their way to Python: as soon as another frame of the project is whole, one answer after the other.


const MOST_S = 5; // that wait: what is older would only come late
const FASTEST = 400; // blocks whose ways here are compared

/** The first sample of a frame, at a rate that is a ratio. Pure. */
const firstSample = (frame, [top, bottom], hz) => Math.ceil((frame * hz * bottom) / top);

/** Channels, one after the other, as many as are asked for; one that is missing is like the first. Pure. */
function planar(channels, count) {
  const length = channels[0].length;
  const samples = new Float32Array(count * length);
  for (let place = 0; place < count; place += 1) samples.set(channels[place] ?? channels[0], place * length);
  return samples;
}

const lengthOf = (blocks) => blocks.reduce((sum, [first]) => sum + first.length, 0);

class Feed {
  #blocks = [];
  #waiting = 0;
  #total = 0;
  #frame = 0;
  #busy = false;
  #heardAt = 0;
  #ways = [];

  /** @param {{ rate: [number, number], hz: number, channels: number, now: () => number, send: (samples: Float32Array) => Promise<any>, onAnswer: (answer: any, heardAt: number) => any, onWrong: (wrong: any) => any }} how heardAt is when the last of the samples was heard, by the clock now() in ms */
  constructor(how) {
    this.how = how;
  }

  /** Take blocks; at is when their first sample was heard, in seconds of the device's clock. */
  add({ at, blocks }) {
    const { hz, now } = this.how;
    const length = lengthOf(blocks);
    const ends = 1000 * (at + length / hz);
    this.#ways.push(now() - ends); // the shortest way here is as good as none
    if (this.#ways.length > FASTEST) this.#ways.shift();
    this.#heardAt = ends + Math.min(...this.#ways);
    this.#blocks.push(...blocks);
    this.#waiting += length;
    while (this.#waiting > MOST_S * hz) this.#waiting -= lengthOf([this.#blocks.shift()]);
    this.#pump();
  }

  /** Whether the next frame is whole once what waits is heard. */
  get #isDue() {
    return this.#total + this.#waiting >= firstSample(this.#frame + 1, this.how.rate, this.how.hz);
  }

  async #pump() {
    if (this.#busy) return;
    this.#busy = true;
    const { rate, hz, channels, send, onAnswer, onWrong } = this.how;
    try {
      while (this.#isDue) {
        const [blocks, heardAt] = [this.#blocks.splice(0), this.#heardAt];
        this.#total += this.#waiting;
        this.#waiting = 0;
        this.#frame = Math.floor((this.#total * rate[0]) / (hz * rate[1]));
        onAnswer(await send(planar(joined(blocks), channels)), heardAt);
      }
    } catch (wrong) {
      onWrong(wrong);
    } finally {
      this.#busy = false;
    }
  }
}

// Beside the page: takes what the capture hears, sends it to Python frame by frame, and gives the answers to the page, which
// may be busy drawing meanwhile.


const scope = /** @type {any} */ (globalThis);
let feed = null;
let url = "";
/** @type {(value?: any) => void} */
let opened = () => {};

/** By a clock that page and worker share, in ms. */
const now = () => performance.timeOrigin + performance.now();

/** Send samples; after one answer that is none, the page says where to go on. */
async function send(samples, headers) {
  if (!url) await new Promise((done) => (opened = done));
  const response = await fetch(url, { method: "POST", body: samples, headers });
  const body = await response.arrayBuffer();
  if (!response.ok) url = "";
  return { status: response.status, body };
}

function begin({ port, headers, rate, hz, channels }) {
  const onAnswer = ({ status, body }, heardAt) => scope.postMessage({ status, body, heardAt }, [body]);
  const onWrong = (wrong) => {
    if (!(wrong instanceof TypeError)) console.error(wrong); // fetch throws a TypeError where nobody answers
    scope.postMessage({ status: 0 });
  };
  feed = new Feed({ rate, hz, channels, now, send: (samples) => send(samples, headers), onAnswer, onWrong });
  port.onmessage = ({ data }) => feed.add(data);
}

scope.onmessage = ({ data }) => {
  if (data.url) {
    url = data.url;
    opened();
  }
  if (data.port) begin(data);
};
