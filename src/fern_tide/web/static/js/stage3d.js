// The 3D stage: a glTF file that Python built, with the values of a frame put into its nodes, materials, lights and lenses.

import { AnimationMixer, Box3, Matrix4, Vector3 } from "../vendor/three.module.js";
// @ts-ignore three.js brings no types: what it exports looks like a type here
import { GLTFLoader } from "../vendor/GLTFLoader.js";
import { isSeen } from "./in_view.js";
import { Arrays } from "./stage3d_arrays.js";
import { lensSetter, lightSetter, nodeIndex, placeMaps, placeNode, simpler, surfaceSetter, weightsSetter } from "./stage3d_setters.js";
import { prepare } from "./unpacking.js";
import { boxAbout, seenFrom, View3d } from "./view3d.js";

export class Stage3d extends View3d {
  #curves = {};
  #heads = {};
  #tries = new Map();
  #setters = [];
  #bound = null;
  #frame = 0;
  #places = {};
  arrays = new Arrays();
  touched = new Set();
  space = "3d";
  count = -1; // of nodes, before there is a scene

  setDraft(draft) {
    if (draft === this.draft) return;
    this.start(draft);
    this.#surfaces();
    this.arrays.makeAgain(this);
    this.#show();
    this.render();
  }

  /** Load the scene's file, and what arrays it has; what it shows is bound to the curves again. */
  async load(url, arrays = null) {
    const bytes = await (await fetch(url)).arrayBuffer();
    /** @type {any} */
    const gltf = await (await prepare(new GLTFLoader(), bytes, this.renderer)).parseAsync(bytes, "");
    this.put(gltf);
    this.#index(gltf);
    this.mixer = gltf.animations.length ? new AnimationMixer(gltf.scene) : null;
    for (const clip of gltf.animations) this.mixer.clipAction(clip).play();
    this.touched = new Set((this.tried = new Set(this.#tries.keys()))); // all else stands as the file says
    this.#surfaces();
    this.loadArrays(arrays);
    this.#bound = null;
    this.#bind();
    this.#show();
    const count = this.nodes.filter(Boolean).length;
    if (this.count < 0) this.#firstLook();
    if (count > Math.max(0, this.count) && !this.through) this.#seeAll();
    this.count = count;
    this.render();
  }

  /** Take in what arrays the scene has. */
  loadArrays(pack) {
    Object.assign(this.#heads, this.arrays.make(pack, this));
  }

  /** Find every node, material, light and camera by its place in the file. */
  #index(gltf) {
    this.nodes = [];
    this.materials = [];
    this.lights = [];
    this.cameras = gltf.cameras;
    const { associations } = gltf.parser;
    gltf.scene.traverse((object) => {
      const place = associations.get(object) ?? {};
      if (place.nodes !== undefined && this.nodes[place.nodes] === undefined) this.nodes[place.nodes] = object;
      if (place.cameras !== undefined) this.cameras[place.cameras] = object;
      if (object.isLight) this.#indexLight(object, gltf.parser.json.nodes[nodeIndex(object, associations)]);
      for (const material of [object.material ?? []].flat()) this.#indexMaterial(object, material, associations.get(material)?.materials);
    });
    for (const [index, node] of this.nodes.entries()) if (node) node.userData.node = index;
  }

  #indexLight(object, node) {
    const index = node?.extensions?.KHR_lights_punctual?.light;
    if (index !== undefined) (this.lights[index] ??= []).push(object);
  }

  #indexMaterial(mesh, material, index) {
    if (index === undefined) return;
    placeMaps(material);
    this.materials[index] ??= { full: new Set(), meshes: [] };
    this.materials[index].full.add(material);
    this.materials[index].meshes.push({ mesh, material });
  }

  /** Show surfaces as they are written, or in draft as simple ones of the same colour. */
  #surfaces() {
    for (const kept of this.materials ?? []) {
      if (!kept) continue;
      kept.shown = new Set();
      const simple = new Map();
      for (const { mesh, material } of kept.meshes) {
        if (!simple.has(material)) simple.set(material, this.draft ? simpler(material) : material);
        mesh.material = simple.get(material);
        kept.shown.add(mesh.material);
      }
    }
    this.#bound = null;
    this.#bind();
    this.#show();
  }

  bind({ curves, parts, arrays = {} }) {
    this.arrays.motions = arrays;
    for (const target of Object.keys(this.#curves)) if (!(target in curves)) this.touched.add(target); // back to its own value
    this.#curves = curves;
    Object.assign(this.#heads, parts);
    this.#bind();
  }

  try(target, value, head) {
    if (head) this.#heads[head.id] = head;
    if (value === null) this.#tries.delete(target);
    else this.#tries.set(target, value);
    for (const targets of [this.touched, this.tried]) targets.add(target);
    this.#bind();
  }

  #valueOf(id, frame) {
    return (name) => {
      const target = `${id}:${name}`;
      if (this.#tries.has(target)) return this.#tries.get(target);
      const curve = this.#curves[target];
      if (!curve) return this.#heads[id].own[name];
      return curve.kind === "colour" ? curve.values.map((row) => row[frame]) : curve.values[frame];
    };
  }

  #bind() {
    if (!this.gltf) return;
    const moved = new Set([...Object.keys(this.#curves), ...this.touched]);
    const names = [...moved].sort().join();
    if (names === this.#bound) return;
    this.#bound = names;
    this.#setters = [];
    for (const [id, head] of Object.entries(this.#heads)) {
      if (head.space !== "3d") continue;
      let placed = false;
      for (const [pointer, wanted, form, shaping] of head.channels) {
        if (!wanted.some((name) => moved.has(`${id}:${name}`))) continue;
        const place = ["translation", "rotation", "scale"].includes(form);
        if (place && placed) continue;
        placed ||= place;
        const set = place ? this.#placeSetter(pointer, id) : this.#setter(pointer, wanted, shaping);
        if (set) this.#setters.push((frame) => set(this.#valueOf(id, frame)));
      }
    }
  }

  #placeSetter(pointer, id) {
    const node = this.nodes[Number(pointer.split("/")[2])];
    return node && ((valueOf) => placeNode(node, this.#heads[id], valueOf));
  }

  #setter(pointer, names, shaping) {
    const [, kind, place, ...rest] = pointer.split("/");
    if (kind === "nodes") return weightsSetter(this.nodes[Number(place)], names, shaping);
    if (kind === "materials") return surfaceSetter(this.materials[Number(place)]?.shown, rest.join("/"), names);
    if (kind === "cameras") return lensSetter(this.cameras[Number(place)], names);
    return lightSetter(this.lights[Number(pointer.split("/")[4])], names);
  }

  /** Show a frame; motion that a file came with is shown at the same time, in seconds, and what is driven wins over it. */
  show(frame, seconds) {
    this.#frame = frame;
    this.seconds = seconds ?? this.seconds;
    this.#show();
    this.render();
  }

  #show() {
    this.mixer?.setTime(this.seconds ?? 0);
    for (const set of this.#setters) set(this.#frame);
    this.arrays.show(this.#frame, { heads: this.#heads, curves: this.#curves, tries: this.#tries, valueOf: (id) => this.#valueOf(id, this.#frame) });
  }

  /** Look through the scene's camera: that of a part, or the first; or from outside again. */
  lookThrough(on, part) {
    const pointer = this.#heads[part]?.channels.find(([way]) => way.startsWith("/cameras/"))?.[0];
    const wanted = pointer && this.cameras?.[Number(pointer.split("/")[2])];
    this.through = on ? (wanted ?? this.cameras?.find(Boolean) ?? null) : null;
    this.controls.enabled = !this.through;
    this.render();
    this.onView?.();
    return Boolean(this.through);
  }

  /** The piece of an array under the pointer, by its place, or null. */
  pickPiece(event, part) {
    return this.arrays.pick(part, this.ray(event));
  }

  /** Draw this frame again: the hand has put something elsewhere. */
  showAgain() {
    this.show(this.#frame);
  }

  pick(event) {
    const ray = this.ray(event);
    /** @type {any} */
    const hit = this.gltf && ray.intersectObject(this.gltf.scene, true)[0];
    for (let object = hit?.object; object; object = object.parent) {
      if (object.userData.node !== undefined) return { node: object.userData.node };
    }
    return null;
  }

  /** Which node each of some parts is. */
  placeParts(places) {
    this.#places = places;
  }

  /** The nodes that lie in a box on the screen with all that is seen of them. */
  enclosed({ left, top, right, bottom }) {
    const lies = ({ x, y }) => left <= x && x <= right && top <= y && y <= bottom;
    return [...this.nodes.keys()].filter((index) => this.corners(boxAbout(this.nodes[index]))?.every(lies));
  }

  /** A place on the screen, as far away as a part is, in what its place is counted in. */
  toParent(part, event) {
    const pointer = this.#heads[part]?.channels.find(([way]) => way.startsWith("/nodes/"))?.[0];
    return this.inParent(event, this.nodes?.[Number(pointer?.split("/")[2])]);
  }

  #boxOf = (part) => boxAbout(this.nodes?.[this.#places[part]]) ?? this.#boxByHead(part);

  #boxByHead(part) {
    const pointer = this.#heads[part]?.channels.find(([way]) => way.startsWith("/nodes/") || way.startsWith("/materials/"))?.[0];
    if (!pointer) return null;
    const [, kind, index] = pointer.split("/");
    const node = kind === "nodes" ? this.nodes?.[Number(index)] : null;
    const meshes = kind === "materials" ? (this.materials?.[Number(index)]?.meshes ?? []) : [];
    const box = boxAbout(node) ?? new Box3();
    for (const { mesh } of meshes) box.expandByObject(mesh);
    if (node && box.isEmpty()) box.setFromCenterAndSize(node.getWorldPosition(new Vector3()), new Vector3(0.2, 0.2, 0.2));
    return box.isEmpty() ? null : box;
  }

  know(head) {
    this.#heads[head.id] = head;
  }

  outline(part) {
    return this.corners(this.#boxOf(part));
  }

  /** A node's box in its own metres, before its scale and turn: what an anchor is counted in. */
  anchorBox(head) {
    const node = this.nodes?.[Number(head.channels[0]?.[0].split("/")[2])];
    if (!node) return null;
    const box = new Box3();
    const inverse = new Matrix4().copy(node.matrixWorld).invert();
    node.traverse((object) => {
      if (!object.geometry) return;
      object.geometry.computeBoundingBox();
      box.union(object.geometry.boundingBox.clone().applyMatrix4(new Matrix4().multiplyMatrices(inverse, object.matrixWorld)));
    });
    return box.isEmpty() ? null : box;
  }

  /** Begin where the scene's own camera stands, or where all of it is seen. */
  #firstLook() {
    const camera = this.cameras.find((item) => item?.isPerspectiveCamera);
    if (!camera) {
      this.frameAll();
      return;
    }
    const box = new Box3().setFromObject(this.gltf.scene);
    const at = camera.getWorldPosition(new Vector3());
    const away = Math.max(0.5, box.getCenter(new Vector3()).distanceTo(at));
    this.eye.position.copy(at);
    this.eye.fov = camera.fov;
    this.controls.target.copy(at).addScaledVector(camera.getWorldDirection(new Vector3()), away);
    this.controls.update();
  }

  /** Where what came cannot be seen from here, or only as a speck, all of it is framed. */
  #seeAll() {
    const box = new Box3().setFromObject(this.gltf.scene);
    if (box.isEmpty()) return;
    this.eye.updateMatrixWorld();
    if (!isSeen(seenFrom(this.eye, box))) this.frameBox(box);
  }

  framePart(part) {
    const box = this.#boxOf(part);
    if (box) this.frameBox(box);
  }

  frameAll() {
    const box = boxAbout(this.gltf?.scene);
    if (box) this.frameBox(box);
  }
}
