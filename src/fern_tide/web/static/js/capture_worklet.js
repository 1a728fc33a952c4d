// Runs beside the page: hands on every block of what an input hears, and when its first sample was.

const scope = /** @type {any} */ (globalThis);

class Capture extends scope.AudioWorkletProcessor {
  process([input]) {
    if (input.length) this.port.postMessage({ at: scope.currentTime, channels: input.map((channel) => channel.slice()) });
    return true;
  }
}

scope.registerProcessor("capture", Capture);
