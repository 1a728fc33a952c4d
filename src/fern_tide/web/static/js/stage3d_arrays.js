// Arrays in the 3D stage: one instanced mesh for every mesh that pieces are made from, or in a draft of very many, points.

import { BufferAttribute, BufferGeometry, Color, DynamicDrawUsage, Euler, Group, MathUtils, Matrix4, Points, PointsMaterial, Quaternion, SRGBColorSpace, Vector3 } from "../vendor/three.module.js";
import { ArrayViews, asked, flying, freeReaches, getterOf } from "./array_views.js";
import { coarse } from "./coarse.js";
import { many } from "./many.js";
import { inOrder, mixedLight, reachesOf } from "./pieces.js";

const MOST_SOLID = 2000; // pieces in a draft; more of them are points
const MOST_TRIANGLES = 150_000; // of all pieces in a draft; with more, each has fewer
const FEW = 24; // pieces, which are drawn soon enough one by one
const FOLLOWED = ["color", "emissive"];
const PLAIN = ["opacity", "emissiveIntensity", "metalness", "roughness", "side"];
const NAMES = ["x", "y", "z", "turn_x", "turn_y", "turn_z", "scale_x", "scale_y", "scale_z"].map((name) => `piece_${name}`);

/** Let a surface be as see-through as each piece is. */
function fade(material) {
  material.transparent = true;
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = `attribute float pieceOpacity;\nvarying float vPieceOpacity;\n${shader.vertexShader}`.replace("#include <begin_vertex>", "#include <begin_vertex>\nvPieceOpacity = pieceOpacity;");
    shader.fragmentShader = `varying float vPieceOpacity;\n${shader.fragmentShader}`.replace("#include <color_fragment>", "#include <color_fragment>\ndiffuseColor.a *= vPieceOpacity;");
  };
  material.customProgramCacheKey = () => "fading";
}

export class ArrayView {
  #meshes = [];
  #points = null;
  #order = null;
  #facing;
  /** @type {any} */
  places = null;
  /** @type {any} */
  shares = null;
  /** @type {(name: string) => any} */
  valueOf = () => 0;
  /** @type {(name: string) => boolean} */
  drives = () => false;

  /**
   * @param {any} field where its pieces stand, unpacked
   * @param {{ nodes: any[], draft: boolean }} stage
   */
  constructor(field, { nodes, draft }) {
    this.field = field;
    this.draft = draft;
    this.node = nodes[field.node];
    this.sources = field.nodes.map((index) => nodes[index]);
    /** @type {any} */
    this.matrices = new Float32Array(16 * field.pieces);
    this.group = new Group();
    this.group.userData.pieces = field.pieces;
    this.node.add(this.group);
    this.#facing = field.turns && quaternionsOf(field.turns);
    for (const source of this.sources) source.visible = false;
    if (draft && field.pieces > MOST_SOLID) this.#makePoints();
    else this.sources.forEach((source, at) => this.#makeMeshes(source, at));
  }

  #piecesOf(at) {
    const pieces = [];
    for (let piece = 0; piece < this.field.pieces; piece += 1) if (this.field.source[piece] === at) pieces.push(piece);
    return pieces;
  }

  #makeMeshes(source, at) {
    const pieces = this.#piecesOf(at);
    if (!pieces.length) return;
    source.traverse((original) => {
      if (!original.isMesh) return;
      const geometry = this.draft && !original.material.map ? coarse(original.geometry, MOST_TRIANGLES / pieces.length) : original.geometry.clone();
      /** @type {any} */
      const mesh = many(geometry, pieces.length, { asOne: this.draft && pieces.length > FEW });
      if (original.morphTargetInfluences) mesh.morphTargetInfluences = original.morphTargetInfluences; // the very same: they move with it
      this.group.add(mesh);
      this.#meshes.push({ mesh, original, pieces, like: null });
    });
  }

  #makePoints() {
    const { pieces } = this.field;
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(new Float32Array(3 * pieces), 3).setUsage(DynamicDrawUsage));
    geometry.setAttribute("color", new BufferAttribute(new Float32Array(3 * pieces).fill(1), 3).setUsage(DynamicDrawUsage));
    this.#points = new Points(geometry, new PointsMaterial({ size: 2.5, sizeAttenuation: false, vertexColors: true }));
    this.#points.frustumCulled = false;
    this.group.add(this.#points);
  }

  /** Show a frame: valueOf gives the array's own values then, motion what drives its pieces, tried what the hand tries. */
  show(frame, { valueOf, history, live, own, motion, tried, drives }) {
    const { field } = this;
    Object.assign(this, { valueOf, drives });
    const { places, sizes, shares } = flying(field, frame, { valueOf, history, live });
    const reach = reachesOf(field, places, valueOf);
    const each = (name) => getterOf(name, { field, frame, reach, motion, tried, own });
    const getters = NAMES.map(each);
    if (this.#points) this.#showPoints(places, getters);
    else this.#place(places, getters, sizes);
    Object.assign(this, { places, shares });
    this.#colour(field.coloured ? [each("piece_colour"), each("piece_last_colour")] : null, each("piece_opacity"), motion("piece_opacity") || tried("piece_opacity") !== undefined || own.piece_opacity !== 1);
  }

  #place(places, getters, sizes) {
    const [move, turn, size, facing, pivot] = [new Vector3(), new Quaternion(), new Vector3(), new Quaternion(), new Vector3()];
    const [made, back, outer, at] = [new Matrix4(), new Matrix4(), new Matrix4(), new Euler()];
    const one = new Vector3(1, 1, 1);
    const { values, moving } = apart(getters);
    for (let piece = 0; piece < this.field.pieces; piece += 1) {
      for (const at of moving) values[at] = getters[at](piece);
      const [x, y, z, tx, ty, tz, sx, sy, sz] = values;
      const grown = sizes ? sizes[piece] : 1;
      pivot.fromArray(this.field.anchors[this.field.source[piece]] ?? [0, 0, 0]);
      turn.setFromEuler(at.set(MathUtils.degToRad(tx), MathUtils.degToRad(ty), MathUtils.degToRad(tz), "XYZ"));
      move.set(x, y, z).add(pivot);
      made.compose(move, turn, size.set(sx * grown, sy * grown, sz * grown)).multiply(back.makeTranslation(-pivot.x, -pivot.y, -pivot.z));
      move.fromArray(places, 3 * piece);
      if (this.#facing) outer.compose(move, facing.fromArray(this.#facing, 4 * piece), one);
      else outer.makeTranslation(move.x, move.y, move.z);
      made.premultiply(outer).toArray(this.matrices, 16 * piece);
    }
    this.node.updateWorldMatrix(true, false);
    const inverse = new Matrix4().copy(this.node.matrixWorld).invert();
    for (const { mesh, original, pieces } of this.#meshes) {
      original.updateWorldMatrix(true, false);
      const local = new Matrix4().multiplyMatrices(inverse, original.matrixWorld);
      pieces.forEach((piece, place) => mesh.put(place, made.fromArray(this.matrices, 16 * piece).multiply(local)));
    }
  }

  #showPoints(places, getters) {
    const { position } = this.#points.geometry.attributes;
    const { values, moving } = apart(getters.slice(0, 3));
    for (let piece = 0; piece < this.field.pieces; piece += 1) {
      const pivot = this.field.anchors[this.field.source[piece]] ?? [0, 0, 0];
      for (const at of moving) values[at] = getters[at](piece);
      for (let axis = 0; axis < 3; axis += 1) position.array[3 * piece + axis] = places[3 * piece + axis] + pivot[axis] + values[axis];
    }
    position.needsUpdate = true;
    this.#points.geometry.boundingSphere = this.#points.geometry.boundingBox = null;
  }

  #colour(colours, opacity, fading) {
    if (this.#points) {
      if (colours) this.#colourPoints(colours);
      return;
    }
    const [first, last] = [new Color(), new Color()];
    const { shares } = this;
    const colourOf = (piece) => {
      setColour(first, asked(colours[0], piece));
      setColour(last, asked(colours[1], piece));
      const [r, g, b] = mixedLight(first.toArray(), last.toArray(), shares[piece]);
      return first.setRGB(r, g, b);
    };
    for (const shown of this.#meshes) {
      this.#surface(shown, Boolean(colours), Boolean(fading));
      if (colours) shown.pieces.forEach((piece, place) => shown.mesh.paint(place, colourOf(piece)));
      if (fading) shown.pieces.forEach((piece, place) => shown.mesh.fade(place, asked(opacity, piece)));
      shown.mesh.done({ painted: Boolean(colours), faded: Boolean(fading) });
    }
  }

  /** A draft of very many need not be exact: mixed straight, and turned into light by a table. */
  #colourPoints(colours) {
    const { color } = this.#points.geometry.attributes;
    const [first, last] = colours.map(sRgb);
    for (let piece = 0; piece < this.field.pieces; piece += 1) {
      const [a, b] = [asked(first, piece), asked(last, piece)];
      const share = this.shares[piece];
      for (let at = 0; at < 3; at += 1) color.array[3 * piece + at] = LIGHT[Math.round(MathUtils.clamp(a[at] + (b[at] - a[at]) * share, 0, 1) * STEPS)];
    }
    color.needsUpdate = true;
  }

  /** The surface of what a piece is made from, as it is now; another one where that is another, in draft or not. */
  #surface(shown, coloured, fading) {
    const { material } = shown.original;
    const like = `${material.uuid} ${coloured} ${fading}`;
    if (shown.like !== like) {
      shown.mesh.material?.dispose();
      shown.mesh.material = material.clone();
      if (fading) fade(shown.mesh.material);
      shown.mesh.dress?.(shown.mesh.material, coloured);
      shown.like = like;
    }
    const made = shown.mesh.material;
    for (const name of FOLLOWED) if (made[name]) made[name].copy(material[name]);
    for (const name of PLAIN) if (name in made) made[name] = material[name];
    if (coloured) made.color.set("#ffffff");
    made.transparent = fading || material.transparent;
  }

  /** The piece that a ray meets first, or null. */
  pick(ray) {
    const [hit] = ray.intersectObjects(this.group.children, false);
    if (!hit) return null;
    const shown = this.#meshes.find(({ mesh }) => mesh === hit.object);
    return shown ? shown.pieces[shown.mesh.pieceOf(hit)] : hit.index;
  }

  /** The reaches that the hand can move: their names, and where their middles are in the world. */
  reaches() {
    this.node.updateWorldMatrix(true, false);
    const of = (name, axis) => this.valueOf(`${name}_${axis}`);
    return freeReaches(this.field, this.drives).map(({ name }) => ({ name, middle: new Vector3(of(name, "x"), of(name, "y"), of(name, "z")).applyMatrix4(this.node.matrixWorld) }));
  }

  /** Where the pieces are in the world, in their order, no more than so many: what the line through them goes by. */
  line(most, tried) {
    if (!this.places || this.field.thrown) return null;
    this.node.updateWorldMatrix(true, false);
    if (this.#order?.most !== most) this.#order = { most, pieces: inOrder(this.field, most) };
    return (tried ?? this.#order.pieces).map((piece) => {
      const pivot = this.field.anchors[this.field.source[piece]] ?? [0, 0, 0];
      return new Vector3(...[0, 1, 2].map((axis) => this.places[3 * piece + axis] + pivot[axis])).applyMatrix4(this.node.matrixWorld);
    });
  }

  /** It is seen no more; what draws it goes once what comes in its place was drawn, which may need the very same. */
  leave() {
    this.group.removeFromParent();
    requestAnimationFrame(() => setTimeout(() => this.#dispose()));
  }

  #dispose() {
    for (const { mesh } of this.#meshes) mesh.dispose();
    for (const { geometry, material } of [...this.#meshes.map(({ mesh }) => mesh), this.#points ?? []].flat()) {
      geometry.dispose();
      material?.dispose();
    }
  }
}

const STEPS = 1024;
const LIGHT = Float32Array.from({ length: STEPS + 1 }, (_, at) => new Color().setRGB(at / STEPS, 0, 0, SRGBColorSpace).r);

/** A colour, or what gives each piece's, as sRGB from 0 to 1. */
function sRgb(colour) {
  if (typeof colour === "function" || Array.isArray(colour)) return colour;
  return new Color(colour).convertLinearToSRGB().toArray();
}

/** What stands still as numbers, and the places of what moves. */
const apart = (getters) => ({ values: getters.map((get) => (typeof get === "function" ? 0 : get)), moving: [...getters.keys()].filter((at) => typeof getters[at] === "function") });

/** The arrays of a scene. */
export class Arrays extends ArrayViews {
  #pack = null;

  make(pack, stage) {
    this.#pack = pack;
    const isThere = (node) => stage.nodes[node]; // while a newer scene is on its way, not every node is
    return this.makeEach(pack, (_, field) => [field.node, ...field.nodes].every(isThere) && new ArrayView(field, stage));
  }

  /** The same, for a stage that is drawn otherwise. */
  makeAgain(stage) {
    if (this.#pack) this.make(this.#pack, stage);
  }

  /** A point of the world as an array counts it. */
  toOwn(id, point) {
    const { node } = this.views.get(id);
    return point.clone().applyMatrix4(new Matrix4().copy(node.matrixWorld).invert()).toArray();
  }
}

const setColour = (to, value) => (Array.isArray(value) ? to.setRGB(...value, SRGBColorSpace) : to.set(value));

function quaternionsOf(turns) {
  /** @type {any} */
  const made = new Float32Array((turns.length / 3) * 4);
  const [at, quaternion] = [new Euler(), new Quaternion()];
  for (let piece = 0; piece < turns.length / 3; piece += 1) {
    const [x, y, z] = [0, 1, 2].map((axis) => MathUtils.degToRad(turns[3 * piece + axis]));
    quaternion.setFromEuler(at.set(x, y, z, "XYZ")).toArray(made, 4 * piece);
  }
  return made;
}
