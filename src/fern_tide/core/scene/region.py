"""Where on a part a shaper acts: all over, or in a ball or a box about a place of it, fading towards its edge."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray

Share = Annotated[float, Field(ge=-1, le=2)]


class Where(StrEnum):
    """The form of a region."""

    ALL = "all over"
    BALL = "in a ball"
    BOX = "in a box"


class Region(Params):
    """A region of a part at rest; everything is a share of the part's size, so that it fits any part."""

    where: Annotated[Where, unit("", "Where on the part it acts.", label="Acts")] = Where.ALL
    across: Annotated[Share, unit("", "Its middle across, from the left.", step=0.05)] = 0.5
    up: Annotated[Share, unit("", "Its middle up, from the base.", step=0.05)] = 0.5
    towards: Annotated[Share, unit("", "Its middle towards you, from the back.", step=0.05, label="Towards you")] = 0.5
    reach: Annotated[
        float, Field(gt=0, le=4), unit("", "How far it reaches, as a share of the longest side.", step=0.05)
    ] = 0.5
    soft: Annotated[
        float, Field(ge=0, le=1), unit("", "Over how much of that it fades towards its edge.", step=0.05)
    ] = 0.5

    def middle(self, points: FloatArray) -> FloatArray:
        """Give where its middle is among points, shape (3,), in their unit."""
        low, high = points.min(axis=0), points.max(axis=0)
        return np.asarray(low + (high - low) * np.array([self.across, self.up, self.towards]))

    def size(self, points: FloatArray) -> float:
        """Give how far it reaches among points, in their unit."""
        return self.reach * float(np.ptp(points, axis=0).max())

    def shares(self, points: FloatArray) -> FloatArray:
        """Give how much it acts at points, 0 to 1, shape (points,).

        With d the distance from its middle, of a box along the axis where that is farthest: all of it up to where it
        begins to fade, then 3 t^2 - 2 t^3 of what is left, none from its edge on.

        Args:
            points: those of the part at rest, shape (points, 3), up being y.
        """
        if self.where is Where.ALL or not len(points):
            return np.ones(len(points))
        away = points - self.middle(points)
        far = np.linalg.norm(away, axis=1) if self.where is Where.BALL else np.abs(away).max(axis=1)
        size = max(self.size(points), 1e-12)
        left = np.clip((size - far) / (size * max(self.soft, 1e-9)), 0.0, 1.0)
        return np.asarray(left * left * (3.0 - 2.0 * left))
