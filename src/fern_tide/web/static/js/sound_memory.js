// Sound that is being recorded, remembered by the browser piece by piece: where the page is killed, it is offered when the
// project is opened again.

import { notice } from "./notices.js";
import { Outbox } from "./outbox.js";
import { project } from "./project.js";
import { joined, wavOf } from "./wav.js";

const EVERY_MS = 1500;
const ALIVE_MS = 4000; // a page that remembered something since lives
const [RECORDINGS, PIECES] = ["recordings", "pieces"];

/** The answer of a request to the browser's database. */
const answered = (request) =>
  new Promise((done, wrong) => {
    request.onsuccess = () => done(request.result);
    request.onerror = () => wrong(request.error);
  });

async function stores(mode) {
  const opening = indexedDB.open("fern-tide", 1);
  opening.onupgradeneeded = () => {
    opening.result.createObjectStore(RECORDINGS, { keyPath: "id" });
    opening.result.createObjectStore(PIECES, { autoIncrement: true }).createIndex("of", "of");
  };
  const database = await answered(opening);
  const transaction = database.transaction([RECORDINGS, PIECES], mode);
  transaction.oncomplete = () => database.close();
  return [transaction.objectStore(RECORDINGS), transaction.objectStore(PIECES)];
}

/** Forget a recording. */
async function forget(id) {
  const [recordings, pieces] = await stores("readwrite");
  recordings.delete(id);
  for (const key of await answered(pieces.index("of").getAllKeys(id))) pieces.delete(key);
}

/** A recording that goes on. */
export class SoundMemory {
  #id = crypto.randomUUID();
  #count = 0;

  /** @param {{ since: (count: number) => any, about: () => any }} how since(count) gives the blocks after so many and when the first was heard, or null; about() what else is to be known */
  constructor({ since, about }) {
    this.since = since;
    this.about = about;
    this.timer = setInterval(() => this.#remember().catch(() => this.stop()), EVERY_MS); // a browser without room: it is stored when it ends
  }

  async #remember() {
    const heard = this.since(this.#count);
    if (!heard) return;
    this.#count += heard.blocks.length;
    const [recordings, pieces] = await stores("readwrite");
    recordings.put({ id: this.#id, project: project.key, at: Date.now(), begin: heard.begin, ...this.about() });
    pieces.add({ of: this.#id, channels: joined(heard.blocks) });
  }

  stop() {
    clearInterval(this.timer);
  }

  /** It is stored. */
  async forget() {
    this.stop();
    await forget(this.#id).catch(() => {});
  }
}

/** What recordings the project had that no page goes on with. */
async function left() {
  const [recordings] = await stores("readonly");
  const all = await answered(recordings.getAll());
  return all.filter((one) => one.project === project.key);
}

/** Send a recording; it is forgotten when it is stored. */
async function send({ id, begin, ms, rate, number }, outbox) {
  const [, pieces] = await stores("readonly");
  const blocks = (await answered(pieces.index("of").getAll(id))).map(({ channels }) => channels);
  if (!blocks.length) return forget(id);
  const blob = new Blob([wavOf(joined(blocks), rate)], { type: "audio/wav" });
  outbox.sound(blob, addressOf({ begin, ms, number }), () => forget(id));
}

/** The address that takes a recording: its name, and where it lies. Pure. */
export const addressOf = ({ begin, ms, number }) => `tracks?name=Recording ${number}.wav&at_s=${begin - ms / 1000}`;

/** Offer the recordings that a page which was killed could not store. */
export async function offerSounds({ again = true } = {}) {
  const sounds = await left().catch(() => []);
  if (!sounds.length) return;
  if (sounds.some(({ at }) => Date.now() - at < ALIVE_MS)) return void (again && setTimeout(() => offerSounds({ again: false }), ALIVE_MS));
  const outbox = new Outbox({ query: () => "", onStored: () => {}, going: () => null, signal: new AbortController().signal });
  const store = () => sounds.forEach((sound) => send(sound, outbox));
  const drop = () => sounds.forEach(({ id }) => forget(id));
  const words = sounds.length === 1 ? "What was recorded last was not stored: the page ended." : `${sounds.length} recordings were not stored: the page ended.`;
  notice(words, { act: { words: "Store it now", run: store }, other: { words: "Forget it", run: drop } });
}
