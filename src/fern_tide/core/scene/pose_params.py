"""A row of poses: how parts stand, each under a name."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.limits import MOST_VALUES, Most
from fern_tide.core.base.params import Frozen, Params, unit
from fern_tide.core.base.target import Id, Name
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.drive import Number
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.selection import MOST_CHOSEN

MOST_POSES = 24
BLEND = "blend"
BLENDING = (Property(BLEND, "Blend", low=0.0, high=1.0, swing=1.0, shows=False),)

PoseValues = dict[Id, Annotated[dict[Id, Number | Colour], Most(MOST_VALUES)]]


class Pose(Frozen, frozen=True):
    """How parts stand.

    Attributes:
        name: what it is called.
        values: of each part, its values by property.
    """

    name: Name = "Pose"
    values: Annotated[PoseValues, Most(MOST_CHOSEN)] = Field(default_factory=dict)


class PosesParams(Params):
    """Its poses, in their order."""

    poses: Annotated[
        tuple[Pose, ...], Most(MOST_POSES), unit("", "How its parts stand, one after the other.", kind="poses")
    ] = ()
    posing: Annotated[
        bool,
        unit("", "Whether its parts stand as they are set by hand, so that they can be posed.", label="Pose by hand"),
    ] = False
