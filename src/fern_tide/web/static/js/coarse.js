// Meshes with fewer triangles, for a draft of very many: corners that share a cell of a grid become one
// (J. Rossignac and P. Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993).

import { BufferAttribute, BufferGeometry } from "../vendor/three.module.js";

const CELLS = [16, 11, 8, 6, 5, 4, 3, 2]; // along the longest side, until few enough triangles are left

/** Merge what lies in one cell of a grid with so many cells along the longest side. Pure. */
export function clustered(positions, corners, cells) {
  const [low, high] = [Math.min, Math.max].map((of) => [0, 1, 2].map((axis) => positions.reduce((end, value, at) => (at % 3 === axis ? of(end, value) : end), positions[axis])));
  const size = Math.max(...high.map((value, axis) => value - low[axis])) / cells || 1;
  const cellOf = (at) => [0, 1, 2].map((axis) => Math.floor((positions[3 * at + axis] - low[axis]) / size)).join();
  const [places, sums] = [new Map(), []];
  const merged = Array.from({ length: positions.length / 3 }, (_, at) => {
    const cell = cellOf(at);
    if (!places.has(cell)) places.set(cell, sums.push([0, 0, 0, 0]) - 1);
    const sum = sums[places.get(cell)];
    for (let axis = 0; axis < 3; axis += 1) sum[axis] += positions[3 * at + axis];
    sum[3] += 1;
    return places.get(cell);
  });
  const index = [];
  for (let at = 0; at + 2 < corners.length; at += 3) {
    const [a, b, c] = [corners[at], corners[at + 1], corners[at + 2]].map((corner) => merged[corner]);
    if (a !== b && b !== c && c !== a) index.push(a, b, c);
  }
  return { positions: sums.flatMap(([x, y, z, count]) => [x / count, y / count, z / count]), index };
}

/** A mesh's form with no more triangles than are given, as far as it still has a form; the same one where it has no more. */
export function coarse(geometry, most) {
  const { position, color } = geometry.attributes;
  const corners = geometry.index ? geometry.index.array : Uint32Array.from({ length: position.count }, (_, at) => at);
  const asItIs = color || geometry.morphAttributes.position || position.isInterleavedBufferAttribute || position.normalized;
  if (asItIs || corners.length / 3 <= most) return geometry.clone();
  let form = clustered(position.array, corners, CELLS[0]);
  for (const cells of CELLS.slice(1)) {
    if (form.index.length / 3 <= most) break;
    const fewer = clustered(position.array, corners, cells);
    if (fewer.index.length) form = fewer;
  }
  const made = new BufferGeometry();
  made.setAttribute("position", new BufferAttribute(Float32Array.from(form.positions), 3));
  made.setIndex(form.index);
  made.computeVertexNormals();
  return made;
}
