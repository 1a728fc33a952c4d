"""How a part moves along a way: a share of its length, at even speed, and how far beside it."""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id
from fern_tide.core.scene.properties import Property

ALONG = "along"
BESIDE = "beside"
RIDING = frozenset((ALONG, BESIDE))
"""The properties of a part that moves along a way."""
_ON_IT = Property(ALONG, "Along its way", low=0.0, high=1.0, swing=1.0, shows=False)
_BEYOND = replace(_ON_IT, low=None, high=None)
_BESIDE = Property(BESIDE, "Beside its way", "px", step=1, swing=40.0, shows=False)
_BESIDE_3D = replace(_BESIDE, unit="m", step=0.01, swing=0.2)


class Ends(StrEnum):
    """What happens beyond an end of the way."""

    STOP = "stop"
    AGAIN = "from the beginning"
    BACK = "there and back"


class Ride(Frozen, frozen=True):
    """The way that a part moves along, and how.

    Attributes:
        way: the part that is the way.
        faces: whether it turns to where the way goes: in 2D with its right, in 3D with its front, towards you (+z).
        leans: 3D: how far it leans into curves, in degrees, where they are as narrow as a circle as long as the way.
        ends: what happens beyond 0 and 1.
    """

    way: Id
    faces: bool = True
    leans: Annotated[float, Field(ge=0, le=90)] = 0.0
    ends: Ends = Ends.STOP

    def properties(self, space: str) -> tuple[Property, ...]:
        """Give what can be animated of it, in a kind of scene: where on the way, and how far to the right of it."""
        return (_ON_IT if self.ends is Ends.STOP else _BEYOND, _BESIDE if space == "2d" else _BESIDE_3D)

    def share(self, along: FloatArray) -> FloatArray:
        """Give shares of the length, 0 to 1, of any numbers."""
        match self.ends:
            case Ends.STOP:
                return np.clip(along, 0.0, 1.0)
            case Ends.AGAIN:
                return np.where((along < 0) | (along > 1), along - np.floor(along), along)
            case Ends.BACK:
                return 1.0 - np.abs(1.0 - np.mod(along, 2.0))
