"""Curves as they were baked and stored."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.document import Project
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio


def stored_curves(studio: Studio, levels: Levels, project: Project, *, baked: Mapping[str, str]) -> tuple[Curve, ...]:
    """Give the stored curves of the properties that a project drives.

    Args:
        studio: where they are stored.
        levels: of its sounds.
        project: what it drives.
        baked: the fingerprint of each property's bake, by its target as text.
    """
    graph, curves = levels.graph(project), []
    for target in graph.curves:
        values = studio.derived.get(baked[str(target)]) if str(target) in baked else None
        if values is not None:
            curves.append(graph.stacks[target].curve(np.asarray(values, dtype=np.float64)))
    return tuple(curves)
