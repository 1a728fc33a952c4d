// What the server draws of a room: asked for by htmx, and again whenever it may look otherwise.

import { Component } from "./component.js";

export class Parts extends Component {
  #drawn = [];
  #inner = null;
  #asking = 0;
  #again = false;

  /**
   * @param {any} root an element with hx-get and hx-trigger="ft:renew"
   * @param {AbortSignal} signal
   * @param {{ looked: () => Record<string, any>, mount: (scope: AbortSignal) => any, drawn?: () => any }} how
   *   looked() says what is looked at, for the server; mount(scope) wakes what was drawn, with a scope that ends when it is
   *   drawn anew; drawn() goes on from there, once for each time
   */
  constructor(root, signal, { looked, mount, drawn = () => {} }) {
    super(root, signal);
    this.how = { mount, drawn };
    this.on(root, "htmx:configRequest", ({ detail }) => detail.target === root && this.#asks(detail, looked()));
    this.on(root, "htmx:beforeSwap", ({ target, detail }) => target === root && this.#again && (detail.shouldSwap = false)); // a later one comes
    this.on(root, "htmx:afterSwap", ({ target }) => target === root && this.#drawnAnew());
    this.on(root, "htmx:responseError htmx:sendError", ({ target }) => target === root && this.#failed());
  }

  /** Ask for it anew; says whether it was drawn. Of several that are asked for at once the last counts for all. */
  renew() {
    return new Promise((settle) => {
      this.#drawn.push(settle);
      this.#again = true;
      clearTimeout(this.#asking);
      this.#asking = setTimeout(() => this.root.dispatchEvent(new CustomEvent("ft:renew"))); // what happens at once is asked for once
    });
  }

  #asks({ parameters }, looked) {
    this.#again = false;
    Object.assign(parameters, looked);
  }

  /** Wake what is there now: as it came with the page. */
  mount() {
    this.#inner?.abort();
    this.#inner = new AbortController();
    this.how.mount(AbortSignal.any([this.signal, this.#inner.signal]));
  }

  #drawnAnew() {
    if (this.signal.aborted) return;
    this.mount();
    const waiting = this.#drawn;
    this.#drawn = [];
    Promise.resolve(this.how.drawn()).finally(() => waiting.forEach((settle) => settle(true)));
  }

  #failed() {
    this.#drawn.forEach((settle) => settle(false));
    this.#drawn = [];
  }
}
