// How values of properties are put into nodes, materials, lights and lenses of a 3D view.

import { DoubleSide, Euler, MathUtils, MeshLambertMaterial, Quaternion, SRGBColorSpace, Vector3 } from "../vendor/three.module.js";
import { seenShapes } from "./shapes.js";

const AXES = ["x", "y", "z"];

const degrees = (of, axis) => MathUtils.degToRad(of(`turn_${axis}`) ?? 0);

/** Where a node stands: its own place, and what keeps its anchor still while it turns and scales. */
export function placeNode(node, head, valueOf) {
  const turn = (of) => new Quaternion().setFromEuler(new Euler(degrees(of, "x"), degrees(of, "y"), degrees(of, "z"), "XYZ"));
  const size = (of) => new Vector3(...AXES.map((axis) => of(`scale_${axis}`) ?? 1));
  const anchor = new Vector3(...head.anchor);
  const reach = (of) => anchor.clone().multiply(size(of)).applyQuaternion(turn(of));
  const own = (name) => head.own[name];
  node.quaternion.copy(turn(valueOf));
  node.scale.copy(size(valueOf));
  node.position.set(...AXES.map((axis) => valueOf(axis) ?? 0)).add(reach(own)).sub(reach(valueOf));
}

/** A simple surface of the same colour, picture and see-through. */
export function simpler(material) {
  const { color, map, transparent, opacity, alphaTest, emissive, emissiveMap, emissiveIntensity, vertexColors, name } = material;
  const made = new MeshLambertMaterial({ color, map: map ?? null, transparent, opacity, alphaTest, vertexColors, name, side: transparent ? DoubleSide : material.side });
  if (emissive) made.emissive.copy(emissive);
  Object.assign(made, { emissiveMap: emissiveMap ?? null, emissiveIntensity: emissiveIntensity ?? 1, depthWrite: material.depthWrite });
  return made;
}

const setColour = (to, value) => (Array.isArray(value) ? to.setRGB(...value, SRGBColorSpace) : to.set(value));

export function weightsSetter(node, names, shaping) {
  const meshes = [];
  node?.traverse((object) => {
    const inner = object !== node && object.userData.node !== undefined && object.userData.node !== node.userData.node;
    if (object.morphTargetInfluences && !inner) meshes.push(object);
  });
  const seen = (valueOf) => (shaping ? seenShapes(shaping, valueOf) : names.map(valueOf));
  return (valueOf) => meshes.forEach((mesh) => seen(valueOf).forEach((share, place) => (mesh.morphTargetInfluences[place] = share)));
}

const MAPS = { base: "map", rough: "metalnessMap", normal: "normalMap", occlusion: "aoMap", emissive: "emissiveMap" };

/**
 * Where a texture lies, as glTF has it: scaled, then turned, then moved; row after row. three.js turns first, which is another
 * picture where it is not as tall as wide. Pure.
 */
export function mapMatrix({ offset, repeat, rotation }) {
  const [cosine, sine] = [Math.cos(rotation), Math.sin(rotation)];
  return [repeat.x * cosine, repeat.y * sine, offset.x, -repeat.x * sine, repeat.y * cosine, offset.y, 0, 0, 1];
}

function placeMap(map) {
  map.matrixAutoUpdate = false;
  map.matrix.set(...mapMatrix(map));
}

/** Lay the textures of a material that was read where its file has them. */
export function placeMaps(material) {
  for (const name of Object.values(MAPS)) if (material[name]) placeMap(material[name]);
}

export function surfaceSetter(shown, way, names) {
  if (!shown) return null;
  const each = (run) => (valueOf) => shown.forEach((material) => run(material, valueOf));
  const [name] = names;
  if (name === "colour") {
    return each((material, valueOf) => {
      setColour(material.color, valueOf("colour"));
      const opacity = valueOf("opacity");
      if (opacity < 1 && !material.transparent) Object.assign(material, { transparent: true, needsUpdate: true });
      material.opacity = opacity;
    });
  }
  if (name === "emission") return each((material, valueOf) => material.emissive && setColour(material.emissive, valueOf(name)));
  const plain = { metallic: "metalness", roughness: "roughness", emission_strength: "emissiveIntensity", cutoff: "alphaTest", shade: "aoMapIntensity" }[name];
  if (plain) return each((material, valueOf) => plain in material && (material[plain] = valueOf(name)));
  if (name === "relief") return each((material, valueOf) => material.normalScale?.setScalar(valueOf(name)));
  const picture = MAPS[name.split("_")[0]];
  return each((material, valueOf) => {
    const map = material[picture];
    if (!map) return;
    if (way.endsWith("offset")) map.offset.set(...names.map(valueOf));
    else if (way.endsWith("scale")) map.repeat.set(...names.map(valueOf));
    else map.rotation = MathUtils.degToRad(valueOf(name));
    placeMap(map);
  });
}

export function lensSetter(camera, names) {
  if (!camera) return null;
  const [name] = names;
  return (valueOf) => {
    const value = valueOf(name);
    if (name === "field_of_view") camera.fov = value;
    else if (name === "half_width") Object.assign(camera, { left: -value, right: value });
    else Object.assign(camera, { bottom: -value, top: value });
  };
}

export function lightSetter(lights, names) {
  if (!lights) return null;
  const [name] = names;
  return (valueOf) => {
    for (const light of lights) {
      const value = valueOf(name);
      if (name === "colour") setColour(light.color, value);
      else if (name === "intensity") light.intensity = value;
      else if (name === "range") light.distance = value;
      else if (name === "outer_cone") light.angle = MathUtils.degToRad(value);
      else light.penumbra = Math.max(0, 1 - MathUtils.degToRad(value) / light.angle);
    }
  };
}

/** The place in its file of the node that an object is or lies in, or -1. */
export function nodeIndex(object, associations) {
  for (let at = object; at; at = at.parent) {
    const found = associations.get(at)?.nodes;
    if (found !== undefined) return found;
  }
  return -1;
}
