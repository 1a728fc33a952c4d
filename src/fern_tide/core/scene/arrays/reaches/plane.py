"""Plane: what lies below a plane; in 2D above a line, until it is turned."""

from __future__ import annotations

from fern_tide.core.scene.arrays.reach_shape import Measure, ReachShape

REACH = ReachShape(id="plane", label="Plane", help="On one side of a plane.", measure=Measure.HEIGHT)
