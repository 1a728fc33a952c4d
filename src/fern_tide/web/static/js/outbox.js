// What was performed and is not stored yet: sent one after the other; what cannot be sent stays and is offered again. The browser
// remembers it meanwhile, with the round that goes on: where the page is killed, it is offered when the project is opened again.

import { notice } from "./notices.js";
import { project } from "./project.js";
import { postJson, postLast, upload } from "./server.js";

const EVERY_MS = 1500;
const ALIVE_MS = 4000; // a page that remembered something since lives
const MOST_POINTS = 50_000; // of a round that is remembered: a browser remembers no more than a few MB
const nameOf = (key) => `ft:round:${key}`;

/** Those of a page that was killed, until somebody says what becomes of them. */
let waiting = [];

function remembered() {
  try {
    return JSON.parse(localStorage.getItem(nameOf(project.key)) ?? "null") ?? { at: 0, rounds: [] };
  } catch {
    return { at: 0, rounds: [] };
  }
}

function remember(rounds) {
  const all = [...waiting, ...rounds];
  try {
    if (all.length) localStorage.setItem(nameOf(project.key), JSON.stringify({ at: Date.now(), rounds: all }));
    else localStorage.removeItem(nameOf(project.key));
  } catch {
    // there is no room: it is stored all the same when the round ends
  }
}

/** What is to be remembered of rounds: those that are not too long for it. Pure. */
export const memorable = (rounds) => rounds.filter(({ plain }) => plain && plain.times_s.length <= MOST_POINTS);

/** Offer the rounds that a page which was killed could not send; what another page performs now is its own. */
export function offerRounds({ again = true } = {}) {
  const { at, rounds } = remembered();
  if (!rounds.length) return;
  if (Date.now() - at < ALIVE_MS) return void (again && setTimeout(() => offerRounds({ again: false }), ALIVE_MS));
  waiting = rounds;
  const outbox = new Outbox({ query: () => "", onStored: () => {}, going: () => null, signal: new AbortController().signal });
  const store = () => {
    waiting = [];
    for (const { plain, query } of rounds) outbox.take(plain, query);
  };
  const forget = () => {
    waiting = [];
    remember([]);
  };
  const words = rounds.length === 1 ? "What was performed last was not stored: the page ended." : `${rounds.length} rounds that were performed were not stored: the page ended.`;
  notice(words, { act: { words: "Store it now", run: store }, other: { words: "Forget it", run: forget } });
}

export class Outbox {
  #unsent = [];
  #sending = Promise.resolve();
  #remembers = false;

  /** @param {{ query: () => any, onStored: (status: any) => any, going: () => any, signal: AbortSignal }} how query() says where takes go; onStored hears of each; going() gives the round that goes on, or null */
  constructor({ query, onStored, going, signal }) {
    this.query = query;
    this.onStored = onStored;
    this.going = going;
    const timer = setInterval(() => this.#remember(), EVERY_MS);
    signal.addEventListener("abort", () => clearInterval(timer));
  }

  /** Remember what is not stored; once all is stored, nothing. */
  #remember() {
    const going = this.going();
    const rounds = memorable([...this.#unsent, ...(going ? [{ plain: going, query: String(this.query()) }] : [])]);
    if (rounds.length || this.#remembers) remember(rounds.map(({ plain, query }) => ({ plain, query })));
    this.#remembers = rounds.length > 0;
  }

  /** Send a take. */
  take(plain, query = String(this.query())) {
    this.#add({ plain, query, send: () => postJson(project.url(`takes?${query}`), plain) });
  }

  /** Send a recorded sound, which becomes a track; done() hears that it is stored. */
  sound(blob, address, done = () => {}) {
    this.#add({ send: () => upload(project.url(address), blob, { onShare: () => {} }), done });
  }

  #add(one) {
    this.#unsent.push(one);
    this.#remembers = true;
    this.#go();
  }

  #go() {
    this.#sending = this.#sending.then(async () => {
      while (this.#unsent.length) {
        try {
          const status = await project.bring(this.#unsent[0].send);
          this.#unsent.shift().done?.();
          this.onStored(status);
          await project.came(status);
        } catch (wrong) {
          if (wrong.status === 422) this.#unsent.shift(); // it would be refused again
          notice(wrong.message, wrong.status === 422 ? {} : { act: { words: "Send it again", run: () => this.#go() } });
          return;
        } finally {
          this.#remember();
        }
      }
    });
  }

  /** The page goes: takes are sent without waiting. */
  leave() {
    const last = this.going();
    const rounds = [...this.#unsent, ...(last ? [{ plain: last, query: String(this.query()) }] : [])];
    this.#unsent = [];
    for (const { plain, query } of rounds) if (plain) postLast(project.url(`takes?${query}`), plain);
    if (this.#remembers) remember([]);
  }
}
