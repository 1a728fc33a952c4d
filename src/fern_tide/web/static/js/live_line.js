// A line to Python: a WebSocket on which samples are answered in their turn, in half the time that a request takes.

const STATUS_BYTES = 4; // before an answer; as many of the revision before samples

/** Samples with the revision that the page shows before them. */
export function withRevision(revision, samples) {
  const message = new Uint8Array(STATUS_BYTES + samples.byteLength);
  new DataView(message.buffer).setUint32(0, revision, true);
  message.set(new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength), STATUS_BYTES);
  return message;
}

export class Line {
  #socket;
  /** What waits for an answer. @type {{ answered: (answer: any) => void, broke: (wrong: any) => void } | null} */
  #waits = null;

  /** A line that is open; null where there is none to be had. @returns {Promise<Line | null>} */
  static open(url) {
    const socket = new WebSocket(url);
    socket.binaryType = "arraybuffer";
    return new Promise((done) => {
      socket.onopen = () => done(new Line(socket));
      socket.onclose = () => done(null);
    });
  }

  constructor(socket) {
    this.#socket = socket;
    socket.onmessage = ({ data }) => this.#answered(data);
    socket.onclose = () => this.#broke();
  }

  get isOpen() {
    return this.#socket.readyState === WebSocket.OPEN;
  }

  /** Send a message, and give its answer; it fails with a TypeError, as fetch does, where nobody answers any more. */
  ask(message) {
    this.#socket.send(message);
    return new Promise((answered, broke) => (this.#waits = { answered, broke }));
  }

  #answered(data) {
    this.#waits?.answered({ status: new DataView(data).getUint32(0, true), body: data.slice(STATUS_BYTES) });
    this.#waits = null;
  }

  #broke() {
    this.#waits?.broke(new TypeError("the line broke off"));
    this.#waits = null;
  }
}
