// Beside the page: takes what the capture hears, sends it to Python frame by frame, and gives the answers to the page, which
// may be busy drawing meanwhile.

import { sharedNow } from "./heard_clock.js";
import { Feed } from "./live_feed.js";

const scope = /** @type {any} */ (globalThis);
let feed = null;
let url = "";
/** @type {(value?: any) => void} */
let opened = () => {};

/** Send samples; after one answer that is none, the page says where to go on. */
async function send(samples, headers) {
  if (!url) await new Promise((done) => (opened = done));
  const response = await fetch(url, { method: "POST", body: samples, headers });
  const body = await response.arrayBuffer();
  if (!response.ok) url = "";
  return { status: response.status, body };
}

function begin({ port, headers, rate, hz, channels }) {
  const onAnswer = ({ status, body }, heardAt) => scope.postMessage({ status, body, heardAt, cameAt: sharedNow() }, [body]);
  const onWrong = (wrong) => {
    if (!(wrong instanceof TypeError)) console.error(wrong); // fetch throws a TypeError where nobody answers
    scope.postMessage({ status: 0 });
  };
  feed = new Feed({ rate, hz, channels, now: sharedNow, send: (samples) => send(samples, headers), onAnswer, onWrong });
  port.onmessage = ({ data }) => feed.add(data);
}

scope.onmessage = ({ data }) => {
  if (data.url) {
    url = data.url;
    opened();
  }
  if (data.port) begin(data);
};
