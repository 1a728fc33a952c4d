// Runs beside the page: hands on every block of what an input hears, and when its first sample was. What is only to move the
// stage goes to another listener, a few blocks at once, and the page hears how loud it is.

const scope = /** @type {any} */ (globalThis);
const AT_ONCE = 2; // blocks
const LOOKS = 6; // of blocks between two looks at how loud it is

class Capture extends scope.AudioWorkletProcessor {
  constructor() {
    super();
    this.other = null;
    this.blocks = [];
    this.peak = 0;
    this.count = 0;
    this.port.onmessage = ({ data }) => (this.other = data.port);
  }

  process([input]) {
    if (!input.length) return true;
    const channels = input.map((channel) => channel.slice());
    if (this.other) this.#pass(channels);
    else this.port.postMessage({ at: scope.currentTime, channels });
    return true;
  }

  #pass(channels) {
    if (!this.blocks.length) this.at = scope.currentTime;
    this.blocks.push(channels);
    for (const channel of channels) for (const value of channel) this.peak = Math.max(this.peak, Math.abs(value));
    if (this.blocks.length === AT_ONCE) this.other.postMessage({ at: this.at, blocks: this.blocks.splice(0) });
    if ((this.count += 1) % LOOKS) return;
    this.port.postMessage({ peak: this.peak });
    this.peak = 0;
  }
}

scope.registerProcessor("capture", Capture);
