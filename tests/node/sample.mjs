// Reads a GLB as a program of others would, plays its last animation, and says what it finds at some times.
// Usage: node sample.mjs FILE '[seconds, ...]' '{"name": ["node"|"material"|"light"|"camera", index, "path.in.three"]}'

import { readFileSync } from "node:fs";

globalThis.self = globalThis;
globalThis.createImageBitmap = async () => ({ width: 1, height: 1, close() {} });
const { AnimationMixer } = await import("three");
const { GLTFLoader } = await import("three/examples/jsm/loaders/GLTFLoader.js");
const { GLTFAnimationPointerExtension } = await import("@needle-tools/three-animation-pointer");

const [file, times, wanted] = [process.argv[2], JSON.parse(process.argv[3]), JSON.parse(process.argv[4])];
const loader = new GLTFLoader();
loader.register((parser) => new GLTFAnimationPointerExtension(parser));
const bytes = readFileSync(file);
const gltf = await loader.parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length), "");
const clip = gltf.animations.at(-1);
const mixer = new AnimationMixer(gltf.scene);
mixer.clipAction(clip).play();

async function thing([kind, index]) {
  if (kind === "light") return gltf.parser.getDependency("light", index).catch(() => null);
  return gltf.parser.getDependency(kind, index);
}

function find(kind, index) {
  const { associations } = gltf.parser;
  const key = { node: "nodes", material: "materials", camera: "cameras" }[kind];
  const isLight = (object) => object.isLight && gltf.parser.json.nodes[associations.get(object)?.nodes]?.extensions?.KHR_lights_punctual?.light === index;
  let found = null;
  gltf.scene.traverse((object) => {
    const candidates = kind === "material" && object.material ? [object.material] : [object];
    for (const candidate of candidates) {
      if (kind === "light" ? isLight(candidate) : associations.get(candidate)?.[key] === index && (kind !== "camera" || candidate.isCamera)) found ??= candidate;
    }
  });
  return found;
}

const out = {};
for (const seconds of times) {
  mixer.setTime(seconds);
  for (const [name, [kind, index, path]] of Object.entries(wanted)) {
    let value = find(kind, index) ?? (await thing([kind, index]));
    for (const step of path.split(".")) value = value[step];
    (out[name] ??= []).push(value.toArray ? value.toArray().slice(0, 4).map((v) => (typeof v === "number" ? v : 0)) : Array.isArray(value) ? [...value] : value);
  }
}
console.log(JSON.stringify(out));
