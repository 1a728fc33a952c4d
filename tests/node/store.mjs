// Says what the watchers of a store hear, for tests/node/test_store.py.

import { Store } from "../../src/fern_tide/web/static/js/store.js";

export function heard() {
  const store = new Store({ mapping: "a", drive: 0, open: ["x"] });
  const scope = new AbortController();
  const log = [];
  store.watch(["mapping"], ({ mapping }) => log.push(`mapping ${mapping}`), scope.signal);
  store.watch(["drive", "open"], ({ drive, open }) => log.push(`drive ${drive}, open ${open.join()}`));
  store.watch(["*"], ({ mapping }) => log.push(`all ${mapping}`));
  const changed = [store.set({ mapping: "b" }), store.set({ mapping: "b", open: ["x"] }), store.set({ mapping: "c", drive: 1 })];
  store.correct({ mapping: "d" });
  scope.abort();
  store.set({ mapping: "e" });
  return { changed, log, mapping: store.get("mapping"), all: store.all };
}
