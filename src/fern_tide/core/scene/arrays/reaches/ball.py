"""Ball: what lies within a distance of a point."""

from __future__ import annotations

from fern_tide.core.scene.arrays.reach_shape import Measure, ReachShape

REACH = ReachShape(id="ball", label="Ball", help="Within a distance of a point.", measure=Measure.LENGTH, turned=False)
