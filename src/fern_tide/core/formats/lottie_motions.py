"""What moves in a hand-off, as Lottie's numbers over time: places, opacities, and the measures of shapes."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import HandOff, KeyParams
from fern_tide.core.formats.lottie_measures import has_measure, measured_ways
from fern_tide.core.formats.lottie_shapes import Item, transform
from fern_tide.core.formats.lottie_values import moving
from fern_tide.core.scene.drawing import bindings
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.geometry import Box
from fern_tide.core.scene.svg.picture import PLACE_NAMES


@dataclass(frozen=True)
class Motions:
    """The curves of a hand-off.

    Attributes:
        hand_off: whose.
        params: how curves become keys.
    """

    hand_off: HandOff
    params: KeyParams

    def curves(self, part: Part) -> Mapping[str, Curve]:
        """Give the curves of a part, by property."""
        return self.hand_off.by_part.get(part.id, {})

    def rows(self, part: Part, *names: str) -> FloatArray:
        """Give the values of properties, shape (properties, frames)."""
        return np.stack(list(self.hand_off.rows(part, names).values()))

    def moved(self, part: Part, attribute: str) -> Curve | None:
        """Give the curve that an attribute of a part's element moves by, if it does."""
        for binding in bindings(part):
            if binding.attribute == attribute and binding.property in self.curves(part):
                return self.curves(part)[binding.property]
        return None

    def percent(self, shares: FloatArray) -> Item:
        """Give shares from 0 to 1, shape (frames,) or (1, frames), in percent."""
        return moving(100 * np.atleast_2d(shares), self.params, one=True)

    def place(self, part: Part, changes: Mapping[str, Any] = MappingProxyType({})) -> Item:
        """Give the transform of a part about its anchor."""
        anchor = [[part.anchor.x], [part.anchor.y]]
        return transform(
            {
                "a": {"a": 0, "k": [part.anchor.x, part.anchor.y]},
                "p": moving(self.rows(part, "x", "y") + np.array(anchor), self.params),
                "s": moving(100 * self.rows(part, "scale_x", "scale_y"), self.params),
                "r": moving(self.rows(part, "turn"), self.params, one=True),
                **changes,
            }
        )

    def links(self, part: Part) -> list[Part]:
        """List what places an element, the outermost first, where any of it moves or stands elsewhere."""
        if not part.has("x"):
            return []

        def moves(item: Part) -> bool:
            curves = self.curves(item)
            return any(name in curves or item.own(name) != item.property(name).default for name in PLACE_NAMES)

        return [item for item in (*self.hand_off.scene.gatherings(part), part) if moves(item)]

    def measured(self, part: Part, element: ET.Element) -> tuple[list[Item], list[Box]]:
        """Give the outline of a part of a drawing whose measures move, and its boxes; nothing where none does."""
        if part.kind.in_file != "element":
            return [], []
        tag, curves = str(getattr(part.shape.params, "tag", "")), self.curves(part)
        moved = {
            one.attribute: curves[one.property].values
            for one in bindings(part)
            if one.property in curves and has_measure(tag, one.attribute)
        }
        return measured_ways(tag, element.attrib, moved=moved, params=self.params) if moved else ([], [])
