// The light that a 3D scene is looked at by: a neutral studio, made of nothing but light. It is in a file only if that is asked for.

import { DirectionalLight, Group, HemisphereLight, MathUtils, PMREMGenerator } from "../vendor/three.module.js";
import { RoomEnvironment } from "../vendor/RoomEnvironment.js";

const LAMP = 3.7; // of the lamps, so that simple surfaces are about as light as full ones
const SOFT = 0.04; // how much the studio's walls are blurred, in radians
const WAYS = { on: true, strength: 0.5, turn_degrees: 0, draft: false };

export class StudioLight {
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
