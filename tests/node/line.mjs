// What a line sends and gives, over a socket of this test's own, for tests/node/test_line.py.

import { Line, withRevision } from "../../src/fern_tide/web/static/js/live_line.js";

class Socket {
  static OPEN = 1;
  static last = null;
  readyState = 0;
  sent = [];

  constructor(url) {
    Object.assign(this, { url: String(url) });
    Socket.last = this;
  }

  send = (message) => this.sent.push(Array.from(message));

  becomes(open) {
    this.readyState = open ? 1 : 3;
    (open ? this.onopen : this.onclose)();
  }
}

async function opened(open) {
  globalThis.WebSocket = /** @type {any} */ (Socket);
  const line = Line.open("ws://there/line");
  Socket.last.becomes(open);
  return [await line, Socket.last];
}

export const refused = async () => (await opened(false))[0];

/** Ask some messages, each answered with a status and bytes. */
export async function asked(messages) {
  const [line, socket] = await opened(true);
  const answers = [];
  for (const [message, status, bytes] of messages) {
    const answer = line.ask(Uint8Array.from(message));
    socket.onmessage({ data: Uint8Array.from([status & 255, status >> 8, 0, 0, ...bytes]).buffer });
    const { status: told, body } = await answer;
    answers.push([told, ...new Uint8Array(body)]);
  }
  return { sent: socket.sent, answers, url: socket.url, kind: socket.binaryType };
}

/** What is asked when the line breaks off. */
export async function broken() {
  const [line, socket] = await opened(true);
  const wrong = line.ask(new Uint8Array(1)).catch((error) => error.name);
  socket.becomes(false);
  return [await wrong, line.isOpen];
}

export const packed = (revision, samples) => Array.from(withRevision(revision, Float32Array.from([9, ...samples]).subarray(1)));
