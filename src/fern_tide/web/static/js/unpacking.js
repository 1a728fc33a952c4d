// Meshes that a file holds packed: unpacked with what three.js brings, which is loaded only for such a file.

const HEAD = 12;
const CHUNK = 8;

let draco = null; // one for all files: it has workers of its own
let basis = null; // likewise

/** The extensions that a GLB uses, from its first chunk. Pure. */
export function usedBy(bytes) {
  const length = new DataView(bytes).getUint32(HEAD, true);
  const text = new TextDecoder().decode(new Uint8Array(bytes, HEAD + CHUNK, length));
  return JSON.parse(text).extensionsUsed ?? [];
}

/** A loader of Basis textures whose workers come from a file, which has a policy of its own: they need more than the page may. */
async function basisLoader(renderer) {
  const { KTX2Loader } = await import("../vendor/KTX2Loader.js");
  const loader = new KTX2Loader();
  const transcoder = await (await fetch(new URL("../vendor/basis_transcoder.wasm", import.meta.url))).arrayBuffer();
  loader.workerPool.setWorkerCreator(() => {
    const worker = new Worker(new URL("../vendor/basis_worker.js", import.meta.url));
    const transcoderBinary = transcoder.slice(0);
    worker.postMessage({ type: "init", config: loader.workerConfig, transcoderBinary }, [transcoderBinary]);
    return worker;
  });
  loader.transcoderPending = Promise.resolve();
  return loader.detectSupport(renderer);
}

/** Give a loader what it needs to unpack a file that a renderer will show. */
export async function prepare(loader, bytes, renderer) {
  const used = usedBy(bytes);
  if (used.includes("KHR_texture_basisu")) loader.setKTX2Loader(await (basis ??= basisLoader(renderer)));
  if (used.includes("KHR_draco_mesh_compression")) {
    const { DRACOLoader } = await import("../vendor/DRACOLoader.js");
    draco ??= new DRACOLoader().setDecoderPath(new URL("../vendor/", import.meta.url).href);
    loader.setDRACOLoader(draco);
  }
  if (used.some((name) => name.endsWith("_meshopt_compression"))) {
    const { MeshoptDecoder } = await import("../vendor/meshopt_decoder.module.js");
    loader.setMeshoptDecoder(MeshoptDecoder);
  }
  return loader;
}
