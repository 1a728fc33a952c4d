// The stage: puts the values of a frame into the drawing. It looks values up and writes attributes; it computes none.

const VERBS = { move: ["translate", "x", "y"], turn: ["rotate", "turn"], scale: ["scale", "scale_x", "scale_y"] };

/** The transform attribute of one group of a part, from a function that gives each property's value. Pure. */
export function transformOf(slot, part, valueOf) {
  const [verb, ...names] = VERBS[slot];
  const values = names.map(valueOf);
  if (slot === "move") values.forEach((value, axis) => (values[axis] = value + part.anchor[axis]));
  return `${verb}(${values.join(" ")})`;
}

/** A colour's text at a frame, from rows of red, green and blue from 0 to 1. Pure. */
export function colourAt(rows, frame) {
  const hex = (row) => Math.round(Math.min(1, Math.max(0, row[frame])) * 255).toString(16).padStart(2, "0");
  return `#${rows.map(hex).join("")}`;
}

/** Write an attribute only when it changes: what stays as it is need not be painted. */
function setter(target, attribute, textAt) {
  let last = null;
  return (frame) => {
    const text = textAt(frame);
    if (text !== last) target.setAttribute(attribute, text);
    last = text;
  };
}

export function mountStage(root, { prefix }) {
  let setters = [];
  let bound = "";
  let held = {};
  const element = (part, slot) => root.querySelector(`#${CSS.escape(`${prefix}${part}--${slot}`)}`);

  /** Find once which attributes the curves move; later only their values are taken in. */
  function bind({ curves, parts }) {
    held = curves;
    const names = Object.keys(curves).join();
    if (names === bound) return;
    bound = names;
    setters = [];
    for (const [id, part] of Object.entries(parts)) {
      const curve = (name) => held[`${id}:${name}`];
      for (const [slot, [, ...names]] of Object.entries(VERBS)) {
        const group = names.some(curve) && element(id, slot);
        if (!group) continue;
        setters.push(setter(group, "transform", (frame) => transformOf(slot, part, (name) => curve(name)?.values[frame] ?? part.own[name])));
      }
      for (const [name, places] of Object.entries(part.bindings)) if (curve(name)) bindPlaces(id, name, places, () => held[`${id}:${name}`]);
    }
  }

  function bindPlaces(id, name, places, curve) {
    if (name === "blur") element(id, "move")?.setAttribute("filter", `url(#${prefix}${id}--filter)`);
    for (const [slot, attribute] of places) {
      const target = element(id, slot);
      if (!target) continue;
      setters.push(setter(target, attribute, (frame) => (curve().kind === "colour" ? colourAt(curve().values, frame) : String(curve().values[frame]))));
    }
  }

  return { bind, show: (frame) => setters.forEach((set) => set(frame)) };
}
