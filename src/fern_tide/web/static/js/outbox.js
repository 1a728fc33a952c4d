// What was performed and is not stored yet: sent one after the other; what cannot be sent stays and is offered again.

import { notice } from "./notices.js";
import { project } from "./project.js";
import { postJson, postLast, upload } from "./server.js";

export class Outbox {
  #unsent = [];
  #sending = Promise.resolve();

  /** @param {{ query: () => URLSearchParams, onStored: (status: any) => any }} how query() says where takes go; onStored hears of each */
  constructor({ query, onStored }) {
    this.query = query;
    this.onStored = onStored;
  }

  /** Send a take. */
  take(plain) {
    this.#add({ plain, send: () => postJson(project.url(`takes?${this.query()}`), plain) });
  }

  /** Send a recorded sound, which becomes a track. */
  sound(blob, address) {
    this.#add({ send: () => upload(project.url(address), blob, { onShare: () => {} }) });
  }

  #add(one) {
    this.#unsent.push(one);
    this.#go();
  }

  #go() {
    this.#sending = this.#sending.then(async () => {
      while (this.#unsent.length) {
        try {
          const status = await this.#unsent[0].send();
          this.#unsent.shift();
          this.onStored(status);
          project.take(status);
        } catch (wrong) {
          if (wrong.status === 422) this.#unsent.shift(); // it would be refused again
          notice(wrong.message, wrong.status === 422 ? {} : { act: { words: "Send it again", run: () => this.#go() } });
          return;
        }
      }
    });
  }

  /** The page goes: takes are sent without waiting. */
  leave(last) {
    const plains = this.#unsent.map(({ plain }) => plain);
    this.#unsent = [];
    for (const plain of [...plains, last]) if (plain) postLast(project.url(`takes?${this.query()}`), plain);
  }
}
