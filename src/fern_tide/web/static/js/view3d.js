// A 3D view: its canvas, the eye that goes round it, light to work by and a floor. What it shows is not its business.

import { Box3, Color, GridHelper, MathUtils, PerspectiveCamera, Plane, Raycaster, Scene, Vector2, Vector3, WebGLRenderer } from "../vendor/three.module.js";
import { OrbitControls } from "../vendor/OrbitControls.js";
import { lighten } from "./lighter.js";
import { StudioLight } from "./studio_light.js";

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
export function boxAbout(object) {
  const box = object ? new Box3().setFromObject(object, takesShape(object)) : new Box3();
  return box.isEmpty() ? null : box;
}

/** The eight corners of a box as a camera sees them. */
export const seenFrom = (camera, { min, max }) => [0, 1, 2, 3, 4, 5, 6, 7].map((bits) => new Vector3(bits & 1 ? max.x : min.x, bits & 2 ? max.y : min.y, bits & 4 ? max.z : min.z).project(camera));

export class View3d {
  #asked = false;
  /** Whether it is moved as a sound comes: a draft then has fewer pixels and triangles, so that it is seen sooner. */
  hurried = false;
  tried = new Set(); // what was moved by hand since the scene was loaded
  #furnished = "";
  /** @type {DOMRect | null} */
  #placed = null;
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

  /** Where the canvas is on the screen, looked up once for all that is asked at one go. */
  get #place() {
    if (!this.#placed) queueMicrotask(() => (this.#placed = null));
    return (this.#placed ??= this.canvas.getBoundingClientRect());
  }

  #onScreen({ x, y, z }) {
    if (z > 1 || !Number.isFinite(x + y)) return null;
    const { left, top, width, height } = this.#place;
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
