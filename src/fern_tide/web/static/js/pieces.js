// The pieces of an array: a value for each in every frame, looked up in what Python computed (views/arrays.py). The one
// place of the page that does; a test holds it to Python's.

const DEGREE = Math.PI / 180;
const SHARP = 1e-9;

/** Look a value up in a table of values at even places between two ends; outside it goes on straight. Pure. */
export function lookUp({ from, to, values }, at) {
  const place = ((at - from) / (to - from)) * (values.length - 1);
  const low = Math.min(Math.max(Math.floor(place), 0), values.length - 2);
  return values[low] + (values[low + 1] - values[low]) * (place - low);
}

/** What lies between a row and the next at a frame; nothing before the first, and the last goes on. */
function between(rows, low, share, frame) {
  if (frame < 0) return 0;
  const row = rows[low];
  const at = frame < row.length ? frame : row.length - 1;
  return share ? row[at] * (1 - share) + rows[low + 1][at] * share : row[at];
}

/** The lift that a piece has of one driver: its own row, as late as it is; before frame 0 nothing moves. Pure. */
export function liftOf({ rows, late }, field, piece, frame) {
  const rank = field.ranks[piece] + field.ranks_more[piece];
  let at = rank * (rows.length - 1);
  if (field.nearest) at = Math.floor(at + 0.5);
  const low = Math.min(Math.floor(at), rows.length - 1);
  const share = at - low;
  const after = rank * field.late + late;
  const whole = Math.floor(after);
  const rest = after - whole;
  const now = between(rows, low, share, frame - whole);
  return rest ? now * (1 - rest) + between(rows, low, share, frame - whole - 1) * rest : now;
}

const laid = (stacking, below, now) => (stacking === "add" ? below + now : below * now);
const clip = (value) => Math.min(1, Math.max(0, value));

function mixed(below, driver, share, own) {
  const { colours, stacking, rest, full } = driver;
  const over = stacking !== "replace";
  const under = below ?? own;
  if (!colours) {
    const now = rest + share * (full - rest);
    return over ? laid(stacking, under, now) : now;
  }
  const now = [lookUp(colours[0], share), lookUp(colours[1], share), lookUp(colours[2], share)];
  return over ? now.map((value, place) => clip(laid(stacking, under[place], value))) : now;
}

/** The value of one property of a piece at a frame; reach is how much of its motion it has there. Pure. */
export function valueOfPiece(property, field, piece, frame, reach) {
  let total = null;
  for (const driver of property.drivers) {
    const share = field.gains[piece] * reach * lookUp(driver.response, liftOf(driver, field, piece, frame));
    total = mixed(total, driver, share, property.own);
  }
  total ??= property.own;
  if (Array.isArray(total)) return total;
  if (property.low !== null && total < property.low) return property.low;
  return property.high !== null && total > property.high ? property.high : total;
}

/** Where all pieces stand, three numbers each; valueOf gives the value of a property of the array. Pure. */
export function placesOf(field, valueOf) {
  const places = field.fixed ? Float32Array.from(field.fixed) : new Float32Array(3 * field.pieces);
  for (const [name, way] of Object.entries(field.ways)) {
    const size = valueOf(name);
    for (let at = 0; at < places.length; at += 1) places[at] += size * way[at];
  }
  return places;
}

/** The axes of a turn Rx Ry Rz in degrees, as the columns of its matrix. Pure. */
export function axesOf(x, y, z) {
  const [a, b, c] = [x, y, z].map((degrees) => degrees * DEGREE);
  const [ca, cb, cc, sa, sb, sc] = [Math.cos(a), Math.cos(b), Math.cos(c), Math.sin(a), Math.sin(b), Math.sin(c)];
  return [
    [cb * cc, ca * sc + sa * sb * cc, sa * sc - ca * sb * cc],
    [-cb * sc, ca * cc - sa * sb * sc, sa * cc + ca * sb * sc],
    [sb, -sa * cb, ca * cb],
  ];
}

const along = (axis, x, y, z) => axis[0] * x + axis[1] * y + axis[2] * z;

function awayBy({ measure }, sizes) {
  if (measure === "height") return (x, y) => y;
  if (measure === "length") return (x, y, z) => Math.sqrt(x * x + y * y + z * z);
  return (x, y, z) => Math.max(...[x, y, z].map((value, place) => (sizes[place] === undefined ? 0 : Math.abs(value) / Math.max(sizes[place], 1e-9))));
}

/** One reach as a function of where a piece stands. */
function reachAt(reach, valueOf) {
  const of = (what) => valueOf(`${reach.name}_${what}`);
  const centre = ["x", "y", "z"].map((axis) => of(axis) ?? 0);
  const [inner, outer] = [of("inner"), of("outer")];
  const axes = reach.turned ? axesOf(...["x", "y", "z"].map((axis) => of(`turn_${axis}`) ?? 0)) : null;
  const away = awayBy(reach, reach.sized ? ["x", "y", "z"].map((axis) => of(`size_${axis}`)) : []);
  const [cx, cy, cz] = centre;
  return (px, py, pz) => {
    const x = px - cx;
    const y = py - cy;
    const z = pz - cz;
    const far = axes ? away(along(axes[0], x, y, z), along(axes[1], x, y, z), along(axes[2], x, y, z)) : away(x, y, z);
    const inside = Math.abs(outer - inner) < SHARP ? Number(far <= outer) : Math.min(1, Math.max(0, (outer - far) / (outer - inner)));
    return lookUp(reach.easing, inside);
  };
}

/** How much of its motion each piece has, by all reaches; null without one. Pure. */
export function reachesOf(field, places, valueOf) {
  if (!field.reaches.length) return null;
  const giving = field.reaches.filter(({ away }) => !away).map((reach) => reachAt(reach, valueOf));
  const taking = field.reaches.filter(({ away }) => away).map((reach) => reachAt(reach, valueOf));
  const shares = new Float32Array(field.pieces);
  for (let piece = 0; piece < field.pieces; piece += 1) {
    const x = places[3 * piece];
    const y = places[3 * piece + 1];
    const z = places[3 * piece + 2];
    let share = giving.length ? 0 : 1;
    for (const one of giving) share += one(x, y, z);
    if (share > 1) share = 1;
    for (const one of taking) share *= 1 - one(x, y, z);
    shares[piece] = share;
  }
  return shares;
}

/** The pieces in their order, where each has a place of its own, as far from the next as all are; null where they have not. */
function placedByRank({ ranks, ranks_more: more, pieces }) {
  const order = new Array(pieces).fill(-1);
  for (let piece = 0; piece < pieces; piece += 1) {
    const place = Math.round((ranks[piece] + more[piece]) * (pieces - 1));
    if (order[place] !== -1) return null;
    order[place] = piece;
  }
  return order;
}

const sortedByRank = ({ ranks, ranks_more: more, pieces }) => Array.from({ length: pieces }, (_, piece) => piece).sort((a, b) => ranks[a] + more[a] - (ranks[b] + more[b]) || a - b);

/** The pieces in their order, no more than so many of them, evenly chosen, with the first and the last. Pure. */
export function inOrder(field, most) {
  const { pieces } = field;
  const order = placedByRank(field) ?? sortedByRank(field);
  if (pieces <= most) return order;
  return Array.from({ length: most }, (_, place) => order[Math.round((place * (pieces - 1)) / (most - 1))]);
}

const CONES = [0.4122214708, 0.5363325363, 0.0514459929, 0.2119034982, 0.6806995451, 0.1073969566, 0.0883024619, 0.2817188376, 0.6299787005];
const BACK = [4.0767416613, -3.3077115904, 0.2309699287, -1.2684380041, 2.6097574007, -0.3413193963, -0.0041960865, -0.7034186145, 1.7076147009];
/** @type {(matrix: number[], row: number, of: number[]) => number} */
const rowOf = (matrix, row, of) => matrix[row] * of[0] + matrix[row + 1] * of[1] + matrix[row + 2] * of[2];

/** Mix two colours of linear light as OKLab does (Ottosson 2020): its axes are sums of the cones' cube roots. Pure. */
export function mixedLight(first, last, share) {
  const cones = [0, 0, 0];
  for (let row = 0; row < 3; row += 1) cones[row] = (Math.cbrt(rowOf(CONES, 3 * row, first)) * (1 - share) + Math.cbrt(rowOf(CONES, 3 * row, last)) * share) ** 3;
  return [clip(rowOf(BACK, 0, cones)), clip(rowOf(BACK, 3, cones)), clip(rowOf(BACK, 6, cones))];
}

/** A number for each piece, or the one that all have as many times. */
const numbers = (at, arrays, count) => (typeof at === "number" ? arrays[at] : new Float32Array(count).fill(at.all));

/** Three columns as one array, three numbers a piece. */
function together(columns, count) {
  const joined = new Float32Array(3 * count);
  columns.forEach((column, axis) => {
    for (let piece = 0; piece < count; piece += 1) joined[3 * piece + axis] = column[piece];
  });
  return joined;
}

/** What a packed field names by number, as arrays. Pure. */
export function unpacked(field, arrays) {
  const of = (at) => numbers(at, arrays, field.pieces);
  const ways = Object.fromEntries(Object.entries(field.ways).map(([name, columns]) => [name, together(columns.map(of), field.pieces)]));
  const reaches = field.reaches.map((reach) => ({ ...reach, easing: { ...reach.easing, values: arrays[reach.easing.values] } }));
  const [ranks, ranks_more, gains, source] = ["ranks", "ranks_more", "gains", "source"].map((name) => of(field[name]));
  const fixed = field.fixed === null ? null : arrays[field.fixed];
  const thrown = field.thrown && { ...field.thrown, kinds: arrays[field.thrown.kinds] };
  return { ...field, fixed, thrown, ways, reaches, ranks, ranks_more, gains, source, turns: field.turns === null ? null : arrays[field.turns] };
}

/** What drives pieces, its numbers as arrays. Pure. */
export function unpackedMotion(properties, arrays) {
  const table = (one) => ({ ...one, values: arrays[one.values] });
  const driver = (one) => ({ ...one, rows: [arrays[one.rows]].flat(), response: table(one.response), colours: one.colours?.map(table) });
  return Object.fromEntries(Object.entries(properties).map(([name, one]) => [name, { ...one, drivers: one.drivers.map(driver) }]));
}

const toLight = (value) => (value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4);
const fromLight = (light) => (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055);
const channels = (colour) => (Array.isArray(colour) ? colour : [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255));

/** Mix two colours, as text or as sRGB from 0 to 1, and give the text. Pure. */
export function mixedColour(first, last, share) {
  const light = mixedLight(channels(first).map(toLight), channels(last).map(toLight), share);
  return `#${light.map((value) => Math.round(fromLight(value) * 255).toString(16).padStart(2, "0")).join("")}`;
}
