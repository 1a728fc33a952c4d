// Shapers of a solid: how much of each of its shapes is seen. The numbers of the shapes themselves are in the model.

/** How much of each step is seen at an amount: of two neighbours both, straight between; none of the rest. Pure. */
export function seenSteps(amount, { steps, rest }) {
  const held = Math.min(Math.max(amount, steps[0]), steps.at(-1));
  const above = Math.max(1, steps.findIndex((step) => step >= held));
  const share = (held - steps[above - 1]) / (steps[above] - steps[above - 1]);
  const seen = steps.map((_, place) => (place === above ? share : place === above - 1 ? 1 - share : 0));
  return seen.filter((_, place) => Math.abs(steps[place] - rest) > 1e-9);
}

/** How much of every shape is seen, for what valueOf gives of each property. Pure. */
export function seenShapes(shaping, valueOf) {
  return shaping.flatMap((one) => {
    const [amount, phase] = one.names.map((name) => valueOf(name));
    if (one.law === "line") return [amount - one.rest];
    const angle = ((phase ?? 0) * Math.PI) / 180;
    return one.law === "wave" ? [amount * Math.cos(angle), amount * Math.sin(angle)] : seenSteps(amount, one);
  });
}
