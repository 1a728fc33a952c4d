// Says how many errors the Khronos validator finds in each GLB. Usage: node validate.cjs FILE ...

const { readFileSync } = require("node:fs");
const { validateBytes } = require("gltf-validator");

Promise.all(process.argv.slice(2).map((file) => validateBytes(new Uint8Array(readFileSync(file))))).then((reports) => {
  console.log(JSON.stringify(reports.map(({ issues }) => ({ errors: issues.numErrors, messages: issues.messages.filter(({ severity }) => severity === 0) }))));
});
