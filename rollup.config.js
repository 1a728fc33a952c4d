// Joins the page's scripts, one file each, into the few that a browser is given: a first page of 130 files takes it twice as long to open.
//
// Names stay as they were written; comments and spaces go. Beside starting the page, its file exports each script by name, for tests to reach.

import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import terser from "@rollup/plugin-terser";

const WEB = join(dirname(fileURLToPath(import.meta.url)), "src/fern_tide/web/static");
const SCRIPTS = join(WEB, "js");
const BESIDE = ["live_worker", "picture_worker", "capture_worklet"]; // they run in threads of their own
const PAGE = "\0page";

/** The scripts that a page begins with: those that are imported from its first one on, but what it asks for only where it needs it. */
function begunWith(first) {
  const names = new Set();
  const add = (name) => {
    if (names.has(name)) return;
    names.add(name);
    for (const [, other] of readFileSync(join(SCRIPTS, `${name}.js`), "utf8").matchAll(/(?:^import|^export) [^;]*?"\.\/(\w+)\.js"/gm)) add(other);
  };
  add(first);
  return [...names];
}

/** A script that starts the page, and exports all that it is made of. */
const page = {
  name: "page",
  resolveId: (id) => (id === PAGE ? id : null),
  load: (id) =>
    id !== PAGE
      ? null
      : begunWith("app")
          .map((name) => (name === "app" ? `import "${SCRIPTS}/app.js";` : `export * as ${name} from "${SCRIPTS}/${name}.js";`))
          .join("\n"),
};

/** Other people's scripts stay where they are: most pages need none of them. */
const vendor = { name: "vendor", resolveId: (id) => (id.startsWith("../vendor/") ? { id, external: "absolute" } : null) };

export default ({ configInto = join(WEB, "built") }) => {
  const output = { dir: configInto, format: "es", chunkFileNames: "[name].js", entryFileNames: "[name].js", plugins: [terser({ compress: false, mangle: false })] };
  return [
    { input: { app: PAGE }, plugins: [page, vendor], preserveEntrySignatures: "allow-extension", output },
    ...BESIDE.map((name) => ({ input: { [name]: join(SCRIPTS, `${name}.js`) }, output })),
  ];
};
