// A piece of the page: an element, and one scope in which all that it listens to ends.

export class Component {
  #scope = new AbortController();

  /**
   * @param {any} root the element
   * @param {AbortSignal} signal ends with what it lies in
   */
  constructor(root, signal) {
    this.root = root;
    this.signal = AbortSignal.any([signal, this.#scope.signal]);
  }

  /** @param {string} selector @returns {any} */
  find(selector) {
    return this.root.querySelector(selector);
  }

  /** @param {string} selector @returns {any[]} */
  all(selector) {
    return [...this.root.querySelectorAll(selector)];
  }

  /**
   * Listen for events, their types apart by spaces, as long as the piece is there.
   * @param {any} target
   * @param {string} types
   * @param {(event: any) => any} run
   */
  on(target, types, run, options = {}) {
    for (const type of types.split(" ")) target.addEventListener(type, run, { signal: this.signal, ...options });
  }

  /** Run something whenever the element has another size. */
  onResize(run) {
    const watcher = new ResizeObserver(run);
    watcher.observe(this.root);
    this.signal.addEventListener("abort", () => watcher.disconnect());
  }

  dispose() {
    this.#scope.abort();
  }
}
