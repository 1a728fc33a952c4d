"""The studio light: what a 3D scene is seen by while it has no light of its own, and longer where that is wanted."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Frozen


class StudioLight(Frozen, frozen=True):
    """A neutral light from all around, for looking only: it is in a file only where that is asked for.

    Attributes:
        on: whether it is lit.
        strength: how strong it is, 0 to 4; at 0.5 the lightest place of a white surface is just white.
        turn_degrees: how far it is turned about the scene's upright axis.
    """

    on: bool = True
    strength: Annotated[float, Field(ge=0.0, le=4.0)] = 0.5
    turn_degrees: Annotated[float, Field(ge=-180.0, le=180.0)] = 0.0
