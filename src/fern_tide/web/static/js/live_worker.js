// Beside the page: takes what the capture hears, sends it to Python frame by frame, and gives the answers to the page, which
// may be busy drawing meanwhile.

import { sharedNow } from "./heard_clock.js";
import { Feed } from "./live_feed.js";
import { Line, withRevision } from "./live_line.js";

const scope = /** @type {any} */ (globalThis);
let feed = null;
let url = "";
let revision = 0;
/** @type {Promise<Line | null>} */
let line = Promise.resolve(null);
/** @type {(value?: any) => void} */
let opened = () => {};

/** Send samples, on the line where there is one; after one answer that is none, the page says where to go on. */
async function send(samples, headers) {
  if (!url) await new Promise((done) => (opened = done));
  const on = await line;
  const answer = on?.isOpen ? await on.ask(withRevision(revision, samples)) : await post(samples, headers);
  if (answer.status !== 200) url = "";
  return answer;
}

async function post(samples, headers) {
  const response = await fetch(`${url}/samples?revision=${revision}`, { method: "POST", body: samples, headers });
  return { status: response.status, body: await response.arrayBuffer() };
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

/** Take in where samples go, and which revision the page shows. */
function address(data) {
  if (data.url !== url) line = Line.open(new URL(`${data.url}/line`, location.href.replace(/^http/, "ws")));
  ({ url, revision } = data);
  opened();
}

scope.onmessage = ({ data }) => {
  if (data.url) address(data);
  if (data.port) begin(data);
};
