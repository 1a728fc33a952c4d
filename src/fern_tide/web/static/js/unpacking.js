// Meshes that a file holds packed: unpacked with what three.js brings, which is loaded only for such a file.

const HEAD = 12;
const CHUNK = 8;

let draco = null; // one for all files: it has workers of its own

/** The extensions that a GLB uses, from its first chunk. Pure. */
export function usedBy(bytes) {
  const length = new DataView(bytes).getUint32(HEAD, true);
  const text = new TextDecoder().decode(new Uint8Array(bytes, HEAD + CHUNK, length));
  return JSON.parse(text).extensionsUsed ?? [];
}

/** Give a loader what it needs to unpack a file. */
export async function prepare(loader, bytes) {
  const used = usedBy(bytes);
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
