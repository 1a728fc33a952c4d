// Calls functions of the page's scripts, one line of JSON in, one out: {"module", "name", "given"} to {"value"} or {"wrong"}.
// A constant is given as it is. {"float32": [...]} stands for an array of that kind, {"bytes": [...]} for a buffer, {"table": {...}} for a function of names, {"set": [...]} for a set.
// What a script touches of a page while it is loaded is there as a thing that does nothing.

import { createInterface } from "node:readline";
import { pathToFileURL } from "node:url";

const nothing = () => nothing;
const quiet = new Proxy(nothing, { get: (_, name) => (name === Symbol.toPrimitive ? () => "" : quiet), apply: () => undefined });
class Watcher {}
Object.assign(globalThis, { document: quiet, window: quiet, sessionStorage: quiet, localStorage: quiet, ResizeObserver: Watcher });

const typed = (value) => (value?.float32 ? Float32Array.from(value.float32) : value?.set ? new Set(value.set) : value?.bytes ? Uint8Array.from(value.bytes).buffer : value?.table ? (name) => value.table[name] : value);
const plain = (value) => {
  if (ArrayBuffer.isView(value)) return Array.from(value);
  if (Array.isArray(value)) return value.map(plain);
  return value && typeof value === "object" ? Object.fromEntries(Object.entries(value).map(([name, item]) => [name, plain(item)])) : value;
};

for await (const line of createInterface({ input: process.stdin })) {
  const { module, name, given } = JSON.parse(line);
  let answer;
  try {
    const found = (await import(pathToFileURL(module).href))[name];
    answer = { value: plain(await (typeof found === "function" ? found(...given.map(typed)) : found)) };
  } catch (wrong) {
    answer = { wrong: String(wrong.stack) };
  }
  console.log(JSON.stringify(answer));
}
