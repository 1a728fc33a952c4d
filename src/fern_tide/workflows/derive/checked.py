"""What checks look at: curves, and what in their project they belong to."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.bake.check import Checked
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.flashing import Flashing
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.bake.touch_ups.keys import KeysParams
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project, Track
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged


def checked(
    levels: Levels, project: Project, curves: Iterable[Curve], *, staged: Staged, flashing: Flashing | None = None
) -> Checked:
    """Give what checks look at.

    Args:
        levels: of the project's sounds.
        project: whose curves.
        curves: as baked.
        staged: its scene with its files read.
        flashing: what was measured on the stage's pictures, if they were drawn.
    """
    chosen = tuple(curves)
    size = np.array([project.scene.width, project.scene.height], dtype=np.float64)
    boxes = {name: extent.stage for name, extent in staged.extents.items()} if project.scene.kind == "2d" else {}
    return Checked(
        curves=chosen,
        rate=project.rate,
        scene=project.scene,
        rests=_as_long(rests(levels, project, [curve.target for curve in chosen]), chosen),
        sound_s=max(map(_end_s, project.heard), default=0.0),
        extents={name: np.array(box, dtype=np.float64).reshape(2, 2) * size for name, box in boxes.items()},
        hand_keys=_hand_keys(project),
        drivers={target: [mapping.id for mapping, _ in drivers] for target, drivers in _drivers(levels, project)},
        flashing=flashing,
    )


def _drivers(levels: Levels, project: Project) -> Iterable[tuple[Target, Drivers]]:
    return levels.graph(project).drivers.items()


def _as_long(known: dict[Target, FloatArray], curves: tuple[Curve, ...]) -> dict[Target, FloatArray]:
    """Leave out where properties stand that were baked at another length."""
    lengths = {curve.target: {1, curve.n_frames} for curve in curves}
    return {target: rest for target, rest in known.items() if rest.shape[-1] in lengths[target]}


def _end_s(track: Track) -> float:
    return float(track.offset) + track.info.n_samples / track.info.sample_rate_hz


def rests(levels: Levels, project: Project, targets: Iterable[Target]) -> dict[Target, FloatArray]:
    """Give where properties stand while nothing is heard, those of an array's pieces left out.

    Returns:
        Shape (frames,) or (3, frames), or with one frame where a property stands still then.
    """
    graph, places = levels.graph(project), dict[Target, FloatArray]()
    for target in targets:
        if target not in graph.curves or is_of_pieces(graph.stacks[target].part, target.property):
            continue
        stack = graph.stacks[target]
        sources = stack.rest_sources
        nodes = graph.curves_of(sources) if sources else {}
        values = [np.asarray(levels.value(nodes[name])) for name in sources]
        places[target] = stack.limited(stack.rest(sources=values))
    return places


def _hand_keys(project: Project) -> dict[Target, FloatArray]:
    """Give the moments of keys by hand, in frames from where each touch-up begins."""
    moments: dict[Target, FloatArray] = {}
    for one in project.touch_ups:
        params = one.touch.params
        if one.touch.on and isinstance(params, KeysParams) and one.target not in moments:
            moments[one.target] = np.array([key.at_s for key in params.keys]) * project.rate.per_second
    return moments
