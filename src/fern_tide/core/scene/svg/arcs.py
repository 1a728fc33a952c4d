"""Elliptical arcs of path data, as SVG 1.1 works them out (F.6.5 and F.6.6)."""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, cos, pi, radians, sin, sqrt

Point = tuple[float, float]


@dataclass(frozen=True)
class Arc:
    """A piece of an ellipse.

    Attributes:
        centre: its middle.
        radii: both, as large as it takes to reach both ends.
        lean: by how much the ellipse is turned, in radians.
        first: the angle at which it begins, in radians.
        sweep: by how much it goes on from there; negative is the other way round.
    """

    centre: Point
    radii: Point
    lean: float
    first: float
    sweep: float

    def at(self, angle: float, *, along: float = 0.0) -> Point:
        """Give the point at an angle, or so many times the way that it moves there beside it."""
        across = self.radii[0] * (cos(angle) - along * sin(angle))
        down = self.radii[1] * (sin(angle) + along * cos(angle))
        co, si = cos(self.lean), sin(self.lean)
        return self.centre[0] + co * across - si * down, self.centre[1] + si * across + co * down


def arc_of(start: Point, numbers: list[float], end: Point) -> Arc | None:
    """Give an arc; None where it is a straight line, or nothing.

    Args:
        start: where it begins.
        numbers: both radii, the lean in degrees, and whether it is the large one, and goes clockwise.
        end: where it ends.
    """
    rx, ry, lean = abs(numbers[0]), abs(numbers[1]), radians(numbers[2])
    if not rx or not ry or start == end:
        return None
    co, si = cos(lean), sin(lean)
    hx, hy = (start[0] - end[0]) / 2, (start[1] - end[1]) / 2
    u, v = co * hx + si * hy, -si * hx + co * hy
    too_far = sqrt(max(1.0, (u / rx) ** 2 + (v / ry) ** 2))
    rx, ry = rx * too_far, ry * too_far
    below = (rx * v) ** 2 + (ry * u) ** 2
    share = sqrt(max(0.0, (rx * ry) ** 2 - below) / below) * (1 if bool(numbers[3]) != bool(numbers[4]) else -1)
    cu, cv = share * rx * v / ry, -share * ry * u / rx
    centre = (co * cu - si * cv + (start[0] + end[0]) / 2, si * cu + co * cv + (start[1] + end[1]) / 2)
    first, last = atan2((v - cv) / ry, (u - cu) / rx), atan2((-v - cv) / ry, (-u - cu) / rx)
    sweep = (last - first) % (2 * pi) if numbers[4] else -((first - last) % (2 * pi))
    return Arc(centre, (rx, ry), lean, first, sweep)
