// Talking to the server: one place for the token, for errors, and for arrays.

import { first } from "./dom.js";
import { UNREACHABLE } from "./notices.js";

export class Refused extends Error {
  constructor(status, { what = "Something went wrong.", remedy = "", jobs = [] } = {}) {
    super(`${what} ${remedy}`.trim());
    this.status = status;
    this.what = what;
    this.remedy = remedy;
    this.jobs = jobs;
  }
}

export const token = () => first('meta[name="csrf-token"]').content;

async function answered(response) {
  if (response.ok && response.status !== 202) return response;
  let words = {};
  try {
    words = await response.json();
  } catch {
    words = { what: "The server did not answer as expected.", remedy: "Reload the page." };
  }
  throw new Refused(response.status, words);
}

async function reach(url, options = {}) {
  let response;
  try {
    response = await fetch(url, { ...options, headers: { Accept: "application/json", "X-CSRF-Token": token(), ...options.headers } });
  } catch (cause) {
    if (cause.name === "AbortError") throw cause;
    throw new Refused(0, UNREACHABLE);
  }
  return answered(response);
}

const asJson = (plain) => ({ method: "POST", body: JSON.stringify(plain), headers: { "Content-Type": "application/json" } });

export const getJson = async (url) => (await reach(url)).json();
export const getText = async (url) => (await reach(url, { headers: { "HX-Request": "true" } })).text();
export const postJson = async (url, plain = {}) => (await reach(url, asJson(plain))).json();
/** Send something while the page goes; nobody hears of the answer. */
export const postLast = (url, plain) => reach(url, { ...asJson(plain), keepalive: true }).catch(() => {});
export const postHtml = async (url) => (await reach(url, { method: "POST" })).text();
export const getPack = async (url) => unpack(await (await reach(url)).arrayBuffer());
export const getBytes = async (url) => new Uint8Array(await (await reach(url)).arrayBuffer());
export const postPack = async (url, plain) => unpack(await (await reach(url, asJson(plain))).arrayBuffer());

/** Read a packed response: a JSON head and float32 arrays; rows of a two-dimensional array come as a list. */
export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  let at = 4 + length;
  const arrays = head.arrays.map((shape) => {
    if (shape[0] === "bytes") {
      const length = shape.slice(1).reduce((a, b) => a * b, 1);
      const bytes = new Uint8Array(buffer, at, length);
      at += length + ((4 - (length % 4)) % 4);
      return bytes;
    }
    const columns = shape.at(-1);
    const rows = Array.from({ length: shape.slice(0, -1).reduce((a, b) => a * b, 1) }, () => {
      const row = new Float32Array(buffer, at, columns);
      at += 4 * columns;
      return row;
    });
    return shape.length === 1 ? rows[0] : rows;
  });
  return { head, arrays };
}

/**
 * Send a file as a raw body, or a form, saying how much has gone; a signal can stop it.
 * @param {string} url
 * @param {any} file
 * @param {{ onShare: (share: number) => any, name?: string, signal?: AbortSignal }} how
 */
export function upload(url, file, { onShare, name = file.name, signal }) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    if (!(file instanceof FormData)) request.setRequestHeader("Content-Type", "application/octet-stream");
    request.setRequestHeader("Accept", "application/json");
    request.setRequestHeader("X-CSRF-Token", token());
    request.upload.onprogress = (event) => event.lengthComputable && onShare(event.loaded / event.total);
    request.onerror = () => reject(new Refused(0, { what: `${name} could not be sent.`, remedy: "Is Fern Tide still running?" }));
    request.onabort = () => reject(new DOMException(`${name} was not sent`, "AbortError"));
    signal?.addEventListener("abort", () => request.abort());
    request.onload = () => {
      let plain = {};
      try {
        plain = JSON.parse(request.responseText);
      } catch {
        plain = { what: `${name} was not taken.`, remedy: "Try again." };
      }
      if (request.status < 300) resolve(plain);
      else reject(new Refused(request.status, plain));
    };
    request.send(file);
  });
}

/** Send files that belong together; onShare hears how much has gone, and a signal can stop it. */
export function postForm(url, files, { onShare, signal }) {
  const form = new FormData();
  for (const file of files) form.append("file", file, file.name);
  return upload(url, form, { onShare, name: files[0].name, signal });
}

/** Ask side by side: what was overtaken by a later call gives undefined, so that nothing old is shown when its answer comes last. */
export function newest(ask) {
  let calls = 0;
  return async function call(...wanted) {
    const mine = (calls += 1);
    const answer = await ask(...wanted);
    return mine === calls ? answer : undefined;
  };
}

/** Run one call at a time; of those that come meanwhile only the last is run. What is drawn is never older than what was. */
export function latest(run) {
  let busy = false;
  let next = null;
  return async function call(...wanted) {
    next = wanted;
    if (busy) return;
    busy = true;
    try {
      while (next) {
        const now = next;
        next = null;
        await run(...now);
      }
    } finally {
      busy = false;
    }
  };
}
