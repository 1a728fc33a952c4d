// One form drawn many times: by instances; or as one mesh, since what is drawn by the processor takes as long for each
// instance as for a hundred triangles.

import { BufferAttribute, BufferGeometry, DynamicDrawUsage, InstancedBufferAttribute, InstancedMesh, Mesh } from "../vendor/three.module.js";

const ATTRIBUTES = { position: 3, normal: 3, color: 3, pieceOpacity: 1 };

/** Put points where a matrix puts them, three numbers each, from a place of another array on; four rows by columns, as three.js has them. Pure. */
export function putPoints(points, m, into, from) {
  for (let at = 0; at < points.length; at += 3) {
    const [x, y, z] = [points[at], points[at + 1], points[at + 2]];
    into[from + at] = m[0] * x + m[4] * y + m[8] * z + m[12];
    into[from + at + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    into[from + at + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
  return into;
}

/** The matrix that turns normals as another one turns and scales points, laid out alike: its cofactors. Pure. */
export function normalsOf(m) {
  const [ax, ay, az] = [m[5] * m[10] - m[6] * m[9], m[6] * m[8] - m[4] * m[10], m[4] * m[9] - m[5] * m[8]];
  const [bx, by, bz] = [m[9] * m[2] - m[10] * m[1], m[10] * m[0] - m[8] * m[2], m[8] * m[1] - m[9] * m[0]];
  const [cx, cy, cz] = [m[1] * m[6] - m[2] * m[5], m[2] * m[4] - m[0] * m[6], m[0] * m[5] - m[1] * m[4]];
  const sign = cx * m[8] + cy * m[9] + cz * m[10] < 0 ? -1 : 1;
  return [sign * ax, sign * ay, sign * az, 0, sign * bx, sign * by, sign * bz, 0, sign * cx, sign * cy, sign * cz, 0, 0, 0, 0, 1];
}

/** By instances. */
class Instances extends InstancedMesh {
  constructor(geometry, count) {
    super(geometry, /** @type {any} */ (null), count);
    this.frustumCulled = false;
    this.instanceMatrix.setUsage(DynamicDrawUsage);
    this.opacity = new InstancedBufferAttribute(new Float32Array(count).fill(1), 1);
    geometry.setAttribute("pieceOpacity", this.opacity);
  }

  put(at, matrix) {
    this.setMatrixAt(at, matrix);
  }

  paint(at, colour) {
    this.setColorAt(at, colour);
  }

  fade(at, share) {
    this.opacity.array[at] = share;
  }

  /** All that was put, painted and faded is drawn from now on. */
  done({ painted, faded }) {
    this.instanceMatrix.needsUpdate = true;
    if (painted && this.instanceColor) this.instanceColor.needsUpdate = true;
    if (faded) this.opacity.needsUpdate = true;
    this.boundingBox = this.boundingSphere = null;
  }

  pieceOf({ instanceId }) {
    return instanceId;
  }
}

/** As one mesh. */
class Merged extends Mesh {
  constructor(form, count) {
    const { position, normal } = form.attributes;
    const corners = form.index ? form.index.array : Uint32Array.from({ length: position.count }, (_, at) => at);
    const merged = new BufferGeometry();
    for (const [name, size] of Object.entries(ATTRIBUTES)) merged.setAttribute(name, new BufferAttribute(new Float32Array(size * position.count * count).fill(1), size).setUsage(DynamicDrawUsage));
    const index = new Uint32Array(corners.length * count);
    for (let at = 0; at < count; at += 1) for (let corner = 0; corner < corners.length; corner += 1) index[at * corners.length + corner] = corners[corner] + at * position.count;
    merged.setIndex(new BufferAttribute(index, 1));
    super(merged, /** @type {any} */ (null));
    this.form = { points: position.array, normals: normal.array, count: position.count, triangles: corners.length / 3 };
    this.frustumCulled = false;
  }

  put(at, { elements }) {
    const { position, normal } = this.geometry.attributes;
    const from = 3 * at * this.form.count;
    putPoints(this.form.points, elements, position.array, from);
    putPoints(this.form.normals, normalsOf(elements), normal.array, from);
  }

  paint(at, { r, g, b }) {
    const { array } = this.geometry.attributes.color;
    for (let corner = 3 * at * this.form.count; corner < 3 * (at + 1) * this.form.count; corner += 3) [array[corner], array[corner + 1], array[corner + 2]] = [r, g, b];
  }

  fade(at, share) {
    this.geometry.attributes.pieceOpacity.array.fill(share, at * this.form.count, (at + 1) * this.form.count);
  }

  done({ painted, faded }) {
    const { position, normal, color, pieceOpacity } = this.geometry.attributes;
    position.needsUpdate = normal.needsUpdate = true;
    if (painted) color.needsUpdate = true;
    if (faded) pieceOpacity.needsUpdate = true;
    this.geometry.boundingBox = this.geometry.boundingSphere = null;
  }

  /** Let a surface show the colours of the pieces. */
  dress(material, coloured) {
    if (coloured) material.vertexColors = true;
  }

  pieceOf({ faceIndex }) {
    return Math.floor(faceIndex / this.form.triangles);
  }

  dispose() {}
}

/** Whether a form can be drawn as one mesh with others of it. */
const isPlain = ({ attributes: { position, normal, color }, morphAttributes }) => normal && !color && !morphAttributes.position && ![position, normal].some((one) => one.isInterleavedBufferAttribute || one.normalized);

/** A form drawn so many times, which is put, painted and faded one by one; by the processor where drawn as one. */
export function many(form, count, { asOne }) {
  return asOne && isPlain(form) ? new Merged(form, count) : new Instances(form, count);
}
