// Motion that a drawing came with: it gives way while the same is driven, and comes back when it is not.

import { PLACE } from "./placing.js";

const ANIMATIONS = ["animate", "animateTransform", "set"];

/** Which attribute an element animates of the one that it lies in; null where it animates nothing. Pure. */
export const animates = ({ localName, attributeName }) => (localName === "animateMotion" ? "transform" : ANIMATIONS.includes(localName) ? attributeName : null);

const attributeOf = (child) => animates({ localName: child.localName, attributeName: child.getAttribute("attributeName") });

/** The attributes in which a part's driven properties show, from where its properties show and what says which drive. Pure. */
export function drivenAttributes(bindings, drives, withOthers = false) {
  const shown = Object.entries(bindings).flatMap(([name, places]) => (drives(name) ? places.map(([, attribute]) => attribute) : []));
  return withOthers || PLACE.some(drives) ? [...shown, "transform"] : shown;
}

export class OwnMotion {
  #out = [];

  /** Put back all that was taken out. */
  restore() {
    for (const [own, element] of this.#out) element.append(own);
    this.#out = [];
  }

  /** Take out what an element comes with for some of its attributes; it is looked for only where there are any. */
  takeOut(elementOf, attributes) {
    const element = attributes.length ? elementOf() : null;
    for (const own of [...(element?.children ?? [])].filter((child) => attributes.includes(attributeOf(child)))) {
      this.#out.push([own, element]);
      own.remove();
    }
  }
}
