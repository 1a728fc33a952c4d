import { BufferGeometry, BufferAttribute, Mesh, DynamicDrawUsage, InstancedMesh, InstancedBufferAttribute, Matrix4, Group, Points, PointsMaterial, Vector3, Quaternion, Euler, MathUtils, Color, SRGBColorSpace, MeshLambertMaterial, DoubleSide, DirectionalLight, HemisphereLight, PMREMGenerator, Scene, PerspectiveCamera, GridHelper, WebGLRenderer, Raycaster, Vector2, Plane, Box3, AnimationMixer } from '../vendor/three.module.js';
import { GLTFLoader } from '../vendor/GLTFLoader.js';
import { A as ArrayViews, f as flying, r as reachesOf, a as asked, b as freeReaches, i as inOrder, g as getterOf, m as mixedLight, s as seenShapes } from './app.js';
import { OrbitControls } from '../vendor/OrbitControls.js';
import { RoomEnvironment } from '../vendor/RoomEnvironment.js';

// Whether a thing in space is seen from where one stands.

const SPECK = 0.08; // of half the view

/** Whether a box whose corners lie so in a view, from -1 to 1 across and up, is seen, and more than a speck of it. Pure. */
function isSeen(corners) {
  if (corners.every(({ z }) => z > 1)) return false;
  const [xs, ys] = [corners.map(({ x }) => x), corners.map(({ y }) => y)];
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const within = (Math.min(1, right) - Math.max(-1, left)) * (Math.min(1, high) - Math.max(-1, low));
  const isIn = right > -1 && left < 1 && high > -1 && low < 1;
  return isIn && Math.max(right - left, high - low) > SPECK && within >= 0.25 * Math.min(4, (right - left) * (high - low));
}

// Meshes with fewer triangles, for a draft of very many: corners that share a cell of a grid become one
// (J. Rossignac and P. Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993).


const CELLS = [16, 11, 8, 6, 5, 4, 3, 2]; // along the longest side, until few enough triangles are left

/** Merge what lies in one cell of a grid with so many cells along the longest side. Pure. */
function clustered(positions, corners, cells) {
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
function coarse(geometry, most) {
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

// One form drawn many times: by instances; or as one mesh, since what is drawn by the processor takes as long for each
// instance as for a hundred triangles.


const ATTRIBUTES = { position: 3, normal: 3, color: 3, pieceOpacity: 1 };

/** Put points where a matrix puts them, three numbers each, from a place of another array on; four rows by columns, as three.js has them. Pure. */
function putPoints(points, m, into, from) {
  for (let at = 0; at < points.length; at += 3) {
    const [x, y, z] = [points[at], points[at + 1], points[at + 2]];
    into[from + at] = m[0] * x + m[4] * y + m[8] * z + m[12];
    into[from + at + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
    into[from + at + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  }
  return into;
}

/** The matrix that turns normals as another one turns and scales points, laid out alike: its cofactors. Pure. */
function normalsOf(m) {
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
function many(form, count, { asOne }) {
  return asOne && isPlain(form) ? new Merged(form, count) : new Instances(form, count);
}

// Arrays in the 3D stage: one instanced mesh for every mesh that pieces are made from, or in a draft of very many, points.


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

class ArrayView {
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
      setColour$1(first, asked(colours[0], piece));
      setColour$1(last, asked(colours[1], piece));
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
class Arrays extends ArrayViews {
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

const setColour$1 = (to, value) => (Array.isArray(value) ? to.setRGB(...value, SRGBColorSpace) : to.set(value));

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

// How values of properties are put into nodes, materials, lights and lenses of a 3D view.


const AXES = ["x", "y", "z"];

const degrees = (of, axis) => MathUtils.degToRad(of(`turn_${axis}`) ?? 0);

/** Where a node stands: its own place, and what keeps its anchor still while it turns and scales. */
function placeNode(node, head, valueOf) {
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
function simpler(material) {
  const { color, map, transparent, opacity, alphaTest, emissive, emissiveMap, emissiveIntensity, vertexColors, name } = material;
  const made = new MeshLambertMaterial({ color, map: map ?? null, transparent, opacity, alphaTest, vertexColors, name, side: transparent ? DoubleSide : material.side });
  if (emissive) made.emissive.copy(emissive);
  Object.assign(made, { emissiveMap: emissiveMap ?? null, emissiveIntensity: emissiveIntensity ?? 1, depthWrite: material.depthWrite });
  return made;
}

const setColour = (to, value) => (Array.isArray(value) ? to.setRGB(...value, SRGBColorSpace) : to.set(value));

function weightsSetter(node, names, shaping) {
  const meshes = [];
  node?.traverse((object) => {
    const inner = object !== node && object.userData.node !== undefined && object.userData.node !== node.userData.node;
    if (object.morphTargetInfluences && !inner) meshes.push(object);
  });
  const seen = (valueOf) => (shaping ? seenShapes(shaping, valueOf) : names.map(valueOf));
  return (valueOf) => meshes.forEach((mesh) => seen(valueOf).forEach((share, place) => (mesh.morphTargetInfluences[place] = share)));
}

const MAPS = { base: "map", rough: "metalnessMap", normal: "normalMap", occlusion: "aoMap", emissive: "emissiveMap" };

function surfaceSetter(shown, way, names) {
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
  });
}

function lensSetter(camera, names) {
  if (!camera) return null;
  const [name] = names;
  return (valueOf) => {
    const value = valueOf(name);
    if (name === "field_of_view") camera.fov = value;
    else if (name === "half_width") Object.assign(camera, { left: -value, right: value });
    else Object.assign(camera, { bottom: -value, top: value });
  };
}

function lightSetter(lights, names) {
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
function nodeIndex(object, associations) {
  for (let at = object; at; at = at.parent) {
    const found = associations.get(at)?.nodes;
    if (found !== undefined) return found;
  }
  return -1;
}

// Meshes that a file holds packed: unpacked with what three.js brings, which is loaded only for such a file.

const HEAD = 12;
const CHUNK = 8;

let draco = null; // one for all files: it has workers of its own
let basis = null; // likewise

/** The extensions that a GLB uses, from its first chunk. Pure. */
function usedBy(bytes) {
  const length = new DataView(bytes).getUint32(HEAD, true);
  const text = new TextDecoder().decode(new Uint8Array(bytes, HEAD + CHUNK, length));
  return JSON.parse(text).extensionsUsed ?? [];
}

/** A loader of Basis textures whose workers come from a file, which has a policy of its own: they need more than the page may. */
async function basisLoader(renderer) {
  const { KTX2Loader } = await import('../vendor/KTX2Loader.js');
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
async function prepare(loader, bytes, renderer) {
  const used = usedBy(bytes);
  if (used.includes("KHR_texture_basisu")) loader.setKTX2Loader(await (basis ??= basisLoader(renderer)));
  if (used.includes("KHR_draco_mesh_compression")) {
    const { DRACOLoader } = await import('../vendor/DRACOLoader.js');
    draco ??= new DRACOLoader().setDecoderPath(new URL("../vendor/", import.meta.url).href);
    loader.setDRACOLoader(draco);
  }
  if (used.some((name) => name.endsWith("_meshopt_compression"))) {
    const { MeshoptDecoder } = await import('../vendor/meshopt_decoder.module.js');
    loader.setMeshoptDecoder(MeshoptDecoder);
  }
  return loader;
}

// Meshes with fewer triangles, for a draft that is moved as a sound comes: where the processor draws, it is they that take time.


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

/** The same form with fewer of its triangles; itself where it has few, or several surfaces. */
function lighter(form, simplifier) {
  const corners = cornersOf(form);
  if (corners.length <= 3 * LEAST || form.groups.length > 1) return form;
  const [index] = simplifier.simplify(corners, placesOf(form), 3, 3 * Math.ceil((corners.length / 3) * SHARE), OFF);
  const made = new BufferGeometry();
  Object.assign(made, { attributes: form.attributes, morphAttributes: form.morphAttributes, morphTargetsRelative: form.morphTargetsRelative });
  made.setIndex(new BufferAttribute(index, 1));
  return made;
}

/** Meshes in an object; pieces of arrays are few triangles already, and told by their place among them. */
function meshesIn(object) {
  if (object.userData.pieces) return [];
  return [...(object.isMesh ? [object] : []), ...object.children.flatMap(meshesIn)];
}

/** Give every mesh its lighter form, or the whole one again; isWanted() says which it is by the time that it can be done. */
async function lighten(root, isWanted) {
  const { MeshoptSimplifier } = await import('../vendor/meshopt_simplifier.module.js');
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

// The light that a 3D scene is looked at by: a neutral studio, made of nothing but light. It is in a file only if that is asked for.


const LAMP = 3.7; // of the lamps, so that simple surfaces are about as light as full ones
const SOFT = 0.04; // how much the studio's walls are blurred, in radians
const WAYS = { on: true, strength: 0.5, turn_degrees: 0, draft: false };

class StudioLight {
  #how = WAYS;
  #studioMap = null;
  #renderer = null;

  constructor(scene) {
    this.scene = scene;
    /** What lights simple surfaces, which an environment does not reach. @type {any} */
    this.lamps = new Group();
    /** @type {any} */
    const key = new DirectionalLight("#fff8ea");
    key.position.set(1.2, 2.5, 5); // what faces the camera shows its own colours
    this.lamps.add(new HemisphereLight("#eef2ee", "#39443f"), key);
    scene.add(this.lamps);
  }

  /** Light the scene in some way; what is not said stays. */
  show(renderer, how) {
    this.#how = { ...this.#how, ...how };
    const { on, strength, turn_degrees: turn, draft } = this.#how;
    this.lamps.visible = on && draft;
    this.lamps.rotation.y = MathUtils.degToRad(turn);
    this.lamps.children.forEach((lamp) => (lamp.intensity = LAMP * strength));
    this.scene.environment = on && !draft ? this.#studio(renderer) : null;
    this.scene.environmentIntensity = strength;
    this.scene.environmentRotation.y = MathUtils.degToRad(turn);
  }

  /** The studio as a renderer needs it: made once for each. */
  #studio(renderer) {
    if (this.#renderer === renderer) return this.#studioMap.texture;
    this.dispose();
    const maker = new PMREMGenerator(renderer);
    const room = new RoomEnvironment();
    this.#studioMap = maker.fromScene(room, SOFT);
    this.#renderer = renderer;
    room.dispose();
    maker.dispose();
    return this.#studioMap.texture;
  }

  dispose() {
    this.#studioMap?.dispose();
    this.#studioMap = this.#renderer = null;
  }
}

// A 3D view: its canvas, the eye that goes round it, light to work by and a floor. What it shows is not its business.


const HURRIED = 0.6; // pixels of a draft along each side, for each on the screen
const NARROW = 1.6; // of a view: one that is narrower shows as much across, and more up and down

/** Whether a context is drawn by the processor: then a draft is what stays usable. */
function isSoftware(renderer) {
  const gl = renderer.getContext();
  const info = gl.getExtension("WEBGL_debug_renderer_info");
  return /swiftshader|llvmpipe|software/i.test(info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : "");
}

/** Whether anything of an object takes another shape: then its box is that of how it stands, not of all that it can be. */
function takesShape(object) {
  let does = false;
  object.traverse(({ geometry }) => (does ||= Boolean(geometry?.morphAttributes?.position)));
  return does;
}

/** The box about an object and all in it, in the world, or null where there is nothing to see. */
function boxAbout(object) {
  const box = object ? new Box3().setFromObject(object, takesShape(object)) : new Box3();
  return box.isEmpty() ? null : box;
}

/** The eight corners of a box as a camera sees them. */
const seenFrom = (camera, { min, max }) => [0, 1, 2, 3, 4, 5, 6, 7].map((bits) => new Vector3(bits & 1 ? max.x : min.x, bits & 2 ? max.y : min.y, bits & 4 ? max.z : min.z).project(camera));

class View3d {
  #asked = false;
  /** Whether it is moved as a sound comes: a draft then has fewer pixels and triangles, so that it is seen sooner. */
  hurried = false;
  tried = new Set(); // what was moved by hand since the scene was loaded
  #furnished = "";
  /** The scene that is shown. @type {any} */
  gltf = null;

  constructor(root, shown) {
    this.root = root;
    /** Hears of another way of looking, and of every drawing. @type {(() => void) | null} */
    this.onView = this.onDrawn = null;
    /** The camera that is looked through. @type {any} */
    this.through = null;
    /** @type {any} */
    this.scene = new Scene();
    this.ground = new Color(shown.background);
    this.scene.background = this.ground;
    /** @type {any} */
    this.eye = new PerspectiveCamera(40, 1, 0.01, 2000);
    this.eye.position.set(2.6, 2, 5);
    this.floor = new GridHelper(20, 40, "#3c5a50", "#1d322b");
    this.light = new StudioLight(this.scene);
    this.scene.add(this.floor);
    this.start(null);
    this.furnish(shown);
    this.watch = new ResizeObserver(() => this.render());
    this.watch.observe(this.canvas);
  }

  /** Make the renderer; draft is drawn without smoothing, in plain pixels, with simple surfaces. */
  start(draft) {
    this.renderer?.dispose();
    this.canvas?.remove();
    this.canvas = document.createElement("canvas");
    this.root.prepend(this.canvas);
    this.watch?.disconnect();
    this.watch?.observe(this.canvas);
    this.renderer = new WebGLRenderer({ canvas: this.canvas, antialias: draft === false, preserveDrawingBuffer: false });
    this.draft = draft ?? isSoftware(this.renderer);
    this.controls?.dispose();
    this.controls = new OrbitControls(this.eye, this.canvas);
    this.controls.addEventListener("change", () => (this.render(), this.onView?.()));
    this.controls.target.copy(this.target ?? new Vector3(0, 0.8, 0));
    this.target = this.controls.target;
    this.controls.update();
    this.light.show(this.renderer, { draft: this.draft });
    if (this.hurried) this.lighten();
  }

  /** Put in what is shown beside the parts: the background, the floor, the light to look by. */
  furnish(shown) {
    const wanted = JSON.stringify(shown);
    if (wanted === this.#furnished) return;
    this.#furnished = wanted;
    const { background, floor, light } = shown;
    this.ground.set(background);
    this.floor.visible = floor;
    this.light.show(this.renderer, { ...light, draft: this.draft });
    this.render();
  }

  /** Show a scene in the place of the one before. */
  put(gltf) {
    if (this.gltf) this.scene.remove(this.gltf.scene);
    this.gltf = gltf;
    this.scene.add(gltf.scene);
    if (this.hurried) this.lighten();
  }

  hurry(is) {
    this.hurried = is;
    if (this.draft) this.lighten();
  }

  /** Let forms have as many triangles as the draft that is moved as a sound comes can have, or all of them again. */
  async lighten() {
    if (this.gltf) await lighten(this.gltf.scene, () => this.hurried && this.draft);
    this.render();
  }

  /** Draw once before the next screen frame, however often it is asked for. */
  render() {
    if (this.#asked) return;
    this.#asked = true;
    requestAnimationFrame(() => this.#asked && this.renderNow());
  }

  renderNow() {
    this.#asked = false;
    const { clientWidth: width, clientHeight: height } = this.canvas;
    if (!width || !height || this.gone) return;
    const pixels = this.draft ? (this.hurried ? HURRIED : 1) : window.devicePixelRatio;
    const [w, h] = [Math.round(width * pixels), Math.round(height * pixels)];
    if (this.canvas.width !== w || this.canvas.height !== h) this.renderer.setSize(w, h, false);
    const camera = this.through ?? this.eye;
    if (camera.isPerspectiveCamera) Object.assign(camera, { aspect: width / height, zoom: Math.min(1, width / height / NARROW) });
    camera.updateProjectionMatrix();
    this.renderer.render(this.scene, camera);
    this.onDrawn?.();
  }

  /** Keep the eye where it is while something is drawn over the view. */
  hold(is) {
    this.controls.enabled = !is && !this.through;
  }

  get camera() {
    return this.through ?? this.eye;
  }

  frameBox(box) {
    const size = Math.max(0.2, box.getSize(new Vector3()).length());
    const middle = box.getCenter(new Vector3());
    const way = this.eye.position.clone().sub(this.controls.target).normalize();
    this.controls.target.copy(middle);
    this.eye.position.copy(middle).addScaledVector(way, (size * 0.62) / Math.tan(MathUtils.degToRad(this.eye.fov / 2)));
    Object.assign(this.eye, { near: size / 500, far: size * 200 });
    this.controls.update();
    this.render();
    this.onView?.();
  }

  /** The ray from the eye through what is under the pointer. */
  ray({ clientX, clientY }) {
    const { left, top, width, height } = this.canvas.getBoundingClientRect();
    const ray = new Raycaster(new Vector3(), new Vector3());
    ray.setFromCamera(new Vector2(((clientX - left) / width) * 2 - 1, 1 - ((clientY - top) / height) * 2), this.camera);
    return ray;
  }

  /** The point of the world under the pointer that is as far away as another one. */
  inSpace(event, point) {
    const plane = new Plane().setFromNormalAndCoplanarPoint(this.camera.getWorldDirection(new Vector3()), point);
    return this.ray(event).ray.intersectPlane(plane, new Vector3()) ?? point;
  }

  /** The point under the pointer, as far away as a node is, in what the node lies in; null without one. */
  inParent(event, node) {
    return node ? node.parent.worldToLocal(this.inSpace(event, node.getWorldPosition(new Vector3()))) : null;
  }

  /** Where a point of the world is on the screen, or null where it is behind the eye. */
  onScreen(point) {
    return this.#onScreen(point.clone().project(this.camera));
  }

  /** Where a point of the scene is on the screen, or null; and the point in the plane of another one under the pointer. */
  screenOf(at) {
    return this.onScreen(new Vector3(...at));
  }

  spaceAt(event, near) {
    const { x, y, z } = this.inSpace(event, new Vector3(...near));
    return [x, y, z];
  }

  #onScreen({ x, y, z }) {
    if (z > 1 || !Number.isFinite(x + y)) return null;
    const { left, top, width, height } = this.canvas.getBoundingClientRect();
    return { x: left + ((x + 1) / 2) * width, y: top + ((1 - y) / 2) * height };
  }

  /** The corners of what a box looks like on the screen, or null. */
  corners(box) {
    const points = box ? seenFrom(this.camera, box).map((corner) => this.#onScreen(corner)) : [null];
    if (points.includes(null)) return null;
    const [xs, ys] = ["x", "y"].map((axis) => points.map((point) => point[axis]));
    const [l, r, t, b] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    return [{ x: l, y: t }, { x: r, y: t }, { x: r, y: b }, { x: l, y: b }];
  }

  zoom(by) {
    this.eye.position.sub(this.controls.target).multiplyScalar(by).add(this.controls.target);
    this.controls.update();
    this.render();
  }

  background(shown) {
    this.scene.background = shown ? this.ground : null;
    this.renderer.setClearColor("#9aa39a", shown ? 1 : 0);
    this.render();
  }

  dispose() {
    this.gone = true;
    this.watch.disconnect();
    this.controls.dispose();
    this.light.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }
}

// The 3D stage: a glTF file that Python built, with the values of a frame put into its nodes, materials, lights and lenses.


class Stage3d extends View3d {
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
    this.#surfaces();
    this.loadArrays(arrays);
    this.touched = new Set((this.tried = new Set(this.#tries.keys())));
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

export { Stage3d };
