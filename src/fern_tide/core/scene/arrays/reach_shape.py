"""What a shape of a reach is."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from fern_tide.core.base.params import Params


class Measure(StrEnum):
    """How far a piece is from a reach's centre, of where it is as seen from there, turned back."""

    LENGTH = "length"
    """The distance."""
    LARGEST = "largest"
    """The largest of the distances along the three axes, each over the size along it."""
    HEIGHT = "height"
    """How far it is above, along the reach's own y axis, which is up, in 2D down; below is less than 0."""


@dataclass(frozen=True)
class ReachShape:
    """A shape of a reach.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it covers.
        measure: how distances are counted.
        sized: whether it has a size along each axis.
        turned: whether turning it changes anything.
        params: it has none.
    """

    id: str
    label: str
    help: str
    measure: Measure
    sized: bool = False
    turned: bool = True
    params: type[Params] = Params
