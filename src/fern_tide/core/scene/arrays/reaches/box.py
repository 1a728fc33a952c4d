"""Box: what lies within a box, whose inner and outer size are shares of it."""

from __future__ import annotations

from fern_tide.core.scene.arrays.reach_shape import Measure, ReachShape

REACH = ReachShape(id="box", label="Box", help="Within a box.", measure=Measure.LARGEST, sized=True)
