"""The properties that parts have: their unit, range, default, and how far a first mapping moves them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

OTHER_COLOUR = "#c4572e"


@dataclass(frozen=True)
class Property:
    """Something about a part that can be animated.

    Attributes:
        id: the name in targets.
        label: what people read.
        unit: what it is counted in; '' for none.
        kind: a number or a colour.
        default: the value where the part gives none.
        low: the least value that means something, or None.
        high: the greatest, or None.
        step: how much an arrow key changes it.
        swing: how far from rest a new mapping's full lies.
        first_rest: a better rest for a new mapping than the part's own value, or None.
        shows: whether it is seen by itself; what is not only gives other properties their values.
    """

    id: str
    label: str
    unit: str = ""
    kind: Literal["number", "colour"] = "number"
    default: float | str = 0.0
    low: float | None = None
    high: float | None = None
    step: float = 0.01
    swing: float | str = 1.0
    first_rest: float | None = None
    shows: bool = True

    def suggest_ends(self, own: float | str) -> tuple[float | str, float | str]:
        """Give rest and full for a new mapping from the part's own value."""
        if isinstance(own, str) or isinstance(self.swing, str):
            return own, self.swing if self.swing != own else OTHER_COLOUR
        rest = own if self.first_rest is None else self.first_rest
        full = rest + self.swing
        return rest, full if self.high is None or full <= self.high else self.high

    def reach(self, own: float | str) -> tuple[float, float]:
        """Give the ends between which a number is tried by hand: its range, or a swing to both sides."""
        value, swing = float(own), abs(float(self.swing))
        low = self.low if self.low is not None else value - 2 * swing
        high = self.high if self.high is not None else value + 2 * swing
        return min(low, value), max(high, value)


PLACE = (
    Property("x", "Across", "px", step=1, swing=60.0),
    Property("y", "Down", "px", step=1, swing=-60.0),
    Property("turn", "Turn", "°", step=0.5, swing=12.0),
    Property("scale_x", "Width", "x", default=1.0, swing=0.4),
    Property("scale_y", "Height", "x", default=1.0, swing=0.4),
    Property("opacity", "Opacity", "", default=1.0, low=0.0, high=1.0, swing=0.75, first_rest=0.25),
)
BLUR = Property("blur", "Blur", "px", low=0.0, step=0.5, swing=8.0)
FILL = Property("fill", "Fill", "", kind="colour", default="#000000", swing="#f7dfa0")
PAINT = (
    FILL,
    Property("stroke", "Stroke", "", kind="colour", default="#000000", swing="#f7dfa0"),
    Property("stroke_width", "Stroke width", "px", low=0.0, step=0.5, swing=4.0),
)
DASH = Property("dash_offset", "Dash offset", "px", step=1, swing=40.0)

PLACE_3D = (
    Property("x", "Across", "m", step=0.01, swing=0.4),
    Property("y", "Up", "m", step=0.01, swing=0.3),
    Property("z", "Towards you", "m", step=0.01, swing=0.4),
    Property("turn_x", "Turn about x", "°", step=0.5, swing=20.0),
    Property("turn_y", "Turn about y", "°", step=0.5, swing=20.0),
    Property("turn_z", "Turn about z", "°", step=0.5, swing=20.0),
    Property("scale_x", "Width", "x", default=1.0, swing=0.4),
    Property("scale_y", "Height", "x", default=1.0, swing=0.4),
    Property("scale_z", "Depth", "x", default=1.0, swing=0.4),
)
SURFACE = (
    Property("colour", "Colour", "", kind="colour", default="#ffffff", swing="#f7dfa0"),
    Property("opacity", "Opacity", "", default=1.0, low=0.0, high=1.0, swing=0.75, first_rest=0.25),
    Property("metallic", "Metallic", "", default=0.0, low=0.0, high=1.0, swing=0.5),
    Property("roughness", "Roughness", "", default=0.6, low=0.0, high=1.0, swing=0.4),
    Property("emission", "Emission", "", kind="colour", default="#000000", swing="#f7dfa0"),
    Property("emission_strength", "Emission strength", "x", default=1.0, low=0.0, swing=2.0),
)
LIGHT = (
    Property("colour", "Colour", "", kind="colour", default="#ffffff", swing="#f7dfa0"),
    Property("intensity", "Intensity", "cd", default=10.0, low=0.0, step=0.5, swing=20.0),
)
SUNLIGHT = (LIGHT[0], Property("intensity", "Intensity", "lx", default=2.0, low=0.0, step=0.1, swing=2.0))
RANGE = Property("range", "Range", "m", default=20.0, low=0.01, step=0.5, swing=10.0)
CONE = (
    Property("inner_cone", "Inner cone", "°", default=0.0, low=0.0, high=90.0, step=0.5, swing=10.0),
    Property("outer_cone", "Outer cone", "°", default=45.0, low=0.0, high=90.0, step=0.5, swing=15.0),
)
LENS = (Property("field_of_view", "Field of view", "°", default=40.0, low=1.0, high=150.0, step=0.5, swing=8.0),)


def _of_each(items: tuple[Property, ...]) -> tuple[Property, ...]:
    """Give properties as those of each of many pieces, which stand where their layout puts them."""
    return tuple(
        replace(item, id=f"piece_{item.id}", label=f"Piece {item.label[0].lower()}{item.label[1:]}") for item in items
    )


PIECE = _of_each(PLACE)
PIECE_3D = (*_of_each(PLACE_3D), *_of_each((SURFACE[1],)))
PIECE_COLOURS = _of_each(
    (
        replace(SURFACE[0], label="Colour, first", default="#2e5529"),
        replace(SURFACE[0], id="last_colour", label="Colour, last", default="#d7e8ec"),
    )
)
