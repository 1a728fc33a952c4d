// A small store: named values, and plain subscribers that hear of those they watch.

const same = (a, b) => a === b || (Array.isArray(a) && JSON.stringify(a) === JSON.stringify(b));

export class Store {
  #values;
  #watchers = new Set();

  constructor(first) {
    this.#values = { ...first };
  }

  get(name) {
    return this.#values[name];
  }

  get all() {
    return { ...this.#values };
  }

  /** Put new values in and tell who watches one that changed; says whether any did. */
  set(values) {
    const changed = this.#put(values);
    if (!changed.length) return false;
    for (const { names, run } of [...this.#watchers]) if (names.some((name) => changed.includes(name))) run(this.all);
    return true;
  }

  /** Put values in that are shown already: nobody is told, but those that watch everything. */
  correct(values) {
    const changed = this.#put(values);
    if (changed.length) for (const { names, run } of [...this.#watchers]) if (names.includes("*")) run(this.all);
  }

  /** Run something whenever one of some values changes, until a signal; "*" hears of corrections too. */
  watch(names, run, signal) {
    const watcher = { names, run };
    this.#watchers.add(watcher);
    signal?.addEventListener("abort", () => this.#watchers.delete(watcher));
  }

  #put(values) {
    const changed = Object.keys(values).filter((name) => !same(values[name], this.#values[name]));
    this.#values = { ...this.#values, ...values };
    return changed.length ? [...changed, "*"] : [];
  }
}
