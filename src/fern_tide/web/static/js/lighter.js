// Meshes with fewer triangles, for a draft that is moved as a sound comes: where the processor draws, it is they that take time.

import { BufferAttribute, BufferGeometry } from "../vendor/three.module.js";

const LEAST = 100; // triangles that stay as they are
const SHARE = 0.3; // of the others are wanted
const OFF = 0.04; // of its size is a form off at most
const lighterForms = new WeakMap(); // of forms that were seen before
const wholeForms = new WeakMap(); // of lighter ones

/** Its corners, three to a triangle. */
const cornersOf = ({ index, attributes: { position } }) => Uint32Array.from({ length: (index ?? position).count }, (_, at) => (index ? index.getX(at) : at));

/** The places of its corners as plain numbers, however they are stored. */
function placesOf({ attributes: { position } }) {
  const places = new Float32Array(3 * position.count);
  for (let at = 0; at < position.count; at += 1) places.set([position.getX(at), position.getY(at), position.getZ(at)], 3 * at);
  return places;
}

/** The same form with fewer of its triangles; itself where it has few, several surfaces, or takes shapes: what is flat before may bend then. */
function lighter(form, simplifier) {
  const corners = cornersOf(form);
  if (corners.length <= 3 * LEAST || form.groups.length > 1 || form.morphAttributes.position) return form;
  const [index] = simplifier.simplify(corners, placesOf(form), 3, 3 * Math.ceil((corners.length / 3) * SHARE), OFF);
  const made = new BufferGeometry();
  Object.assign(made, { attributes: form.attributes });
  made.setIndex(new BufferAttribute(index, 1));
  return made;
}

/** Meshes in an object; pieces of arrays are few triangles already, and told by their place among them. */
function meshesIn(object) {
  if (object.userData.pieces) return [];
  return [...(object.isMesh ? [object] : []), ...object.children.flatMap(meshesIn)];
}

/** Give every mesh its lighter form, or the whole one again; isWanted() says which it is by the time that it can be done. */
export async function lighten(root, isWanted) {
  const { MeshoptSimplifier } = await import("../vendor/meshopt_simplifier.module.js");
  await MeshoptSimplifier.ready;
  for (const mesh of meshesIn(root)) {
    const whole = wholeForms.get(mesh.geometry) ?? mesh.geometry;
    if (isWanted() && !lighterForms.has(whole)) {
      lighterForms.set(whole, lighter(whole, MeshoptSimplifier));
      if (lighterForms.get(whole) !== whole) wholeForms.set(lighterForms.get(whole), whole);
    }
    mesh.geometry = isWanted() ? lighterForms.get(whole) : whole;
  }
}
