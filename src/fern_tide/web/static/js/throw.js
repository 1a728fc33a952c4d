// Pieces that are thrown: where each flies at a frame, in closed form from when it left, as Python has it (core/scene/arrays/throw.py).

import { axesOf } from "./pieces.js";

const MOST_RATE = 100000;
const EVEN = 1e-9; // of a drop: what reaches a whole number but for rounding has reached it
const TINY = 1e-300;
const remembered = new WeakMap(); // what follows from a curve of rates, by the curve

/** What drives a drop at any moment, in frames: a number, or what lies between two frames. Pure. */
export function valueAt(given, at) {
  if (typeof given === "number") return given;
  const low = Math.min(Math.max(Math.floor(at), 0), given.length - 1);
  if (low === given.length - 1 || at <= 0) return given[low];
  return given[low] + (given[low + 1] - given[low]) * (at - low);
}

/** The integral of a rate at every frame; live, base is what it was at the first. Pure. */
export function reachedBy(rate, { frames, fps, before, base }) {
  const of = (frame) => Math.min(Math.max(typeof rate === "number" ? rate : rate[frame], 0), MOST_RATE);
  const reached = new Float64Array(frames);
  reached[0] = base ?? before * of(0);
  for (let frame = 1; frame < frames; frame += 1) reached[frame] = reached[frame - 1] + (of(frame - 1) + of(frame)) / (2 * fps);
  return { of, reached };
}

function leavingOf(rate, thrown) {
  if (typeof rate === "number") {
    if (thrown.base !== undefined) return reachedBy(rate, thrown);
    if (thrown.steady?.rate !== rate) thrown.steady = { rate, ...reachedBy(rate, thrown) };
    return thrown.steady;
  }
  if (!remembered.has(rate)) remembered.set(rate, reachedBy(rate, thrown));
  return remembered.get(rate);
}

/** When a drop leaves, in seconds. */
function leavesAt({ of, reached }, drop, { fps }) {
  let [low, high] = [0, reached.length]; // the first frame by which it has left
  while (low < high) {
    const middle = (low + high) >> 1;
    if (reached[middle] < drop - EVEN) low = middle + 1;
    else high = middle;
  }
  const frame = Math.min(low, reached.length - 1) - 1;
  if (frame < 0) return (drop - reached[0]) / Math.max(of(0), TINY); // the first rate went on before
  const rest = Math.max(drop - reached[frame], 0);
  const slope = (of(frame + 1) - of(frame)) * fps;
  const root = Math.sqrt(Math.max(of(frame) ** 2 + 2 * slope * rest, 0));
  return frame / fps + (2 * rest) / Math.max(of(frame) + root, TINY);
}

/** The same of a rate as it stands. Pure. */
export const leavingAt = (rate, clock, drop) => leavesAt(reachedBy(rate, clock), drop, clock);

/** Which drop a piece shows at a frame, when it left, and its age as a share of its life, or null where it waits. */
function dropOf(thrown, leaving, piece, frame, life) {
  const left = Math.floor(leaving.reached[frame] + EVEN);
  const drop = left - (((left - 1 - piece) % thrown.pieces) + thrown.pieces) % thrown.pieces;
  const after = drop + thrown.pieces;
  const last = Math.floor(leaving.reached[leaving.reached.length - 1] + EVEN);
  const time = leavesAt(leaving, Math.max(drop, 1), thrown);
  const age = (frame / thrown.fps - time) / Math.max(valueAt(life, time * thrown.fps), 1e-9);
  if (drop >= 1 && age < 1) return { drop, time, age: Math.max(age, 0) };
  return after <= last ? { drop: after, time: leavesAt(leaving, after, thrown), age: null } : { drop: Math.max(drop, 1), time, age: null };
}

/** @type {(thrown: any, vector: number[], given: (name: string) => number) => number[]} */
function aimed({ flat }, [x, y, z], given) {
  if (!flat) {
    const [right, up, ahead] = axesOf(given("aim_x"), 0, given("aim_z"));
    return [0, 1, 2].map((axis) => right[axis] * x + up[axis] * y + ahead[axis] * z);
  }
  const angle = (given("aim_z") * Math.PI) / 180;
  return [x * Math.cos(angle) + y * Math.sin(angle), x * Math.sin(angle) - y * Math.cos(angle), z];
}

function wayOf({ flat, kinds }, kind, width) {
  const of = (row) => [0, 1, 2].map((axis) => kinds[row + axis][kind]);
  const [out, along, beyond] = [of(3), of(6), of(9)];
  const [aside, round] = [kinds[12][kind], kinds[13][kind]];
  const half = (width * Math.PI) / 360;
  if (flat) {
    const angle = (2 * aside - 1) * half;
    return out.map((value, axis) => value * Math.cos(angle) + along[axis] * Math.sin(angle));
  }
  const height = 1 - aside * (1 - Math.cos(half));
  const away = Math.sqrt(Math.max(1 - height ** 2, 0));
  const turn = 2 * Math.PI * round;
  return out.map((value, axis) => value * height + away * (along[axis] * Math.cos(turn) + beyond[axis] * Math.sin(turn)));
}

/** Where a drop is that has flown for so many seconds. */
function flown(thrown, { drop, time }, seconds, driven) {
  const { flat, kinds, uneven, lies } = thrown;
  const kind = (drop - 1) % kinds[0].length;
  const given = (name) => valueAt(driven[name] ?? 0, time * thrown.fps);
  const place = [0, 1, 2].map((axis) => kinds[axis][kind]);
  const begin = lies ? place : aimed(thrown, place.map((value) => value * given("nozzle")), given);
  const way = aimed(thrown, wayOf(thrown, kind, given("width")), given);
  const speed = given("force") * (1 + uneven * kinds[14][kind]);
  const fall = ((flat ? 1 : -1) * given("gravity") * seconds ** 2) / 2;
  return ["x", "y", "z"].map((axis, at) => given(`from_${axis}`) + begin[at] + way[at] * speed * seconds + (at === 1 ? fall : 0));
}

/** Where all pieces are at a frame, three numbers each, their sizes and their ages; driven gives numbers or curves. Pure. */
export function flightsOf(thrown, frame, driven) {
  const leaving = leavingOf(driven.rate, thrown);
  const [places, sizes, ages] = [new Float32Array(3 * thrown.pieces), new Float32Array(thrown.pieces), new Float32Array(thrown.pieces)];
  for (let piece = 0; piece < thrown.pieces; piece += 1) {
    const drop = dropOf(thrown, leaving, piece, frame, driven.life);
    places.set(flown(thrown, drop, drop.age === null ? 0 : Math.max(frame / thrown.fps - drop.time, 0), driven), 3 * piece);
    if (drop.age === null) continue;
    ages[piece] = drop.age;
    sizes[piece] = thrown.first + drop.age * (thrown.last - thrown.first);
  }
  return { places, sizes, ages };
}
