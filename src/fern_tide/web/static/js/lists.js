// Lists with an entry elsewhere, or twice. All pure.

/** The same entry of a list again, after itself. Pure. */
export const twice = (items, place) => [...items.slice(0, place + 1), items[place], ...items.slice(place + 1)];

/** An entry of a list at another place. Pure. */
export function atPlace(items, from, to) {
  const rest = items.filter((_, place) => place !== from);
  return [...rest.slice(0, to), items[from], ...rest.slice(to)];
}
