// A sound graphic's outline from its levels: the same path data that the core writes, so that the stage shows what is baked.

const BAR_SHARE = 0.7;

/** Path data of levels about the origin; see core/scene/graphic.py, which a test holds this against. Pure. */
export function outlineOf({ form, width, height }, levels) {
  const n = levels.length;
  const at = (value) => (Object.is(value, -0) ? 0 : value).toFixed(2).replace(/^-0\.00$/, "0.00");
  if (form === "ring") {
    const points = levels.map((level, place) => {
      const turn = (2 * Math.PI * place) / n - Math.PI / 2;
      const radius = width / 2 + level * height;
      return `${at(radius * Math.cos(turn))} ${at(radius * Math.sin(turn))}`;
    });
    return `M${points.join("L")}Z`;
  }
  const xs = levels.map((_, place) => width * ((place + 0.5) / n - 0.5));
  if (form === "bars") {
    const half = ((width / n) * BAR_SHARE) / 2;
    return levels.map((level, i) => `M${at(xs[i] - half)} 0V${at(-level * height)}H${at(xs[i] + half)}V0Z`).join("");
  }
  const top = levels.map((level, i) => `${at(xs[i])} ${at(-level * height)}`);
  if (form === "line") return `M${top.join("L")}`;
  const low = levels.map((level, i) => `${at(xs[i])} ${at(level * height)}`);
  return `M${[...top, ...low.reverse()].join("L")}Z`;
}
