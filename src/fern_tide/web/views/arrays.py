"""Arrays for the page: what it needs to look up a value for every piece in every frame (static/js/pieces.js)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from fern_tide.core.bake.bake import Stack
from fern_tide.core.bake.pieces import ArrayMotion, is_of_pieces, motion_of
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import RESPONSES, Drive, eased, value
from fern_tide.core.scene.arrays.field import Between
from fern_tide.core.scene.arrays.layout import Layout
from fern_tide.core.scene.arrays.reach import Reach
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.placement import anchored
from fern_tide.core.scene.scene import Part
from fern_tide.web.packing import Pack
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged

_STEPS = 4096
_COLOUR_STEPS = 512


def arrays_of(project: Project) -> list[Part]:
    """List the arrays of a project's scene."""
    return [part for part in project.scene.parts if part.kind.pieces]


def still_motion(project: Project, part: Part) -> ArrayMotion:
    """Give the motion of an array whose sizes and reaches stand as they are."""
    return motion_of(project.scene, part, {}, rate=project.rate, n_frames=project.n_frames)


def field_head(pack: Pack, project: Project, part: Part) -> dict[str, Any]:
    """Pack what follows from an array's params: where pieces stand, in which order, how much of the motion each has."""
    motion = still_motion(project, part)
    pieces, params = motion.pieces, motion.params
    ranks = pieces.ranks.astype(np.float32)
    return {
        "pieces": pieces.n_pieces,
        "source": _numbers(pack, pieces.sources.astype(np.float64)),
        "ways": {name: [_numbers(pack, axis) for axis in way.T] for name, way in pieces.laid.ways.items()},
        "fixed": None if pieces.laid.fixed is None else pack.add(pieces.laid.fixed.ravel()),
        "turns": pack.add(pieces.laid.turns.T.ravel()) if pieces.laid.turns.any() else None,
        "ranks": pack.add(pieces.ranks),
        "ranks_more": _numbers(pack, pieces.ranks - ranks.astype(np.float64)),  # what float32 leaves out
        "gains": _numbers(pack, motion.gains(np.arange(pieces.n_pieces))),
        "late": motion.late_frames,
        "nearest": params.rows is Between.NEAREST,
        "coloured": params.coloured,
        "reaches": [_reach(pack, reach) for reach in params.reaches],
        "thrown": _thrown(pack, project, motion),
    }


def _numbers(pack: Pack, values: FloatArray) -> int | dict[str, float]:
    """Pack a number for each piece, or only the one that all of them have."""
    if len(values) and (values == values[0]).all():
        return {"all": float(values[0])}
    return pack.add(values)


def _thrown(pack: Pack, project: Project, motion: ArrayMotion) -> dict[str, Any] | None:
    """Pack how an array's pieces fly, of those that are thrown."""
    params, part = motion.params, motion.part
    layout: Layout = params.layout.spec
    if layout.throws is None:
        return None
    throw = layout.throws(params.layout.params, flat=part.kind.space == "2d")
    kinds = throw.kinds
    return {
        "pieces": throw.n_pieces,
        "flat": throw.flat,
        "lies": throw.nozzle.lies,
        "uneven": throw.uneven,
        "before": throw.before_s,
        "first": throw.first_size,
        "last": throw.last_size,
        "fps": project.rate.per_second,
        "frames": max(1, project.n_frames),
        "names": [size.id for size in layout.sizes_of(part.kind.space)],
        "kinds": pack.add(np.concatenate([kinds.places, kinds.out, kinds.aside, kinds.beyond, kinds.shares])),
    }


def source_nodes(staged: Staged, part: Part) -> dict[str, Any]:
    """Say about which points pieces move, and in 3D which nodes of the stage's file they are made from."""
    sources = sources_of(staged.scene, part)
    anchors = {"anchors": [anchored(item).tolist() for item in sources]}
    if part.kind.space == "2d":
        return anchors
    return {
        **anchors,
        "node": staged.built.places[part.id]["node"],
        "nodes": [staged.built.places[item.id]["node"] for item in sources],
    }


def _reach(pack: Pack, reach: Reach) -> dict[str, Any]:
    shape = reach.shape.spec
    eased = RESPONSES[reach.easing.id].apply(np.linspace(0.0, 1.0, _STEPS + 1), params=reach.easing.params)
    return {
        "name": f"reach{reach.slot}",
        "measure": shape.measure,
        "away": reach.away,
        "turned": shape.turned,
        "sized": shape.sized,
        "easing": {"from": 0.0, "to": 1.0, "values": pack.add(eased)},
    }


def moved_arrays(project: Project, targets: Iterable[Target]) -> list[Part]:
    """List the arrays of whose pieces some properties are among those given."""
    moved = dict.fromkeys(target.part for target in targets)
    parts = (project.scene.part(name) for name in moved)
    return [part for part in parts if part.kind.pieces]


def motion_head(pack: Pack, levels: Levels, project: Project, part: Part) -> dict[str, Any]:
    """Pack what drives the pieces of an array, by property."""
    graph, motion = levels.graph(project), still_motion(project, part)
    heads = {}
    for target in graph.curves:
        if target.part == part.id and is_of_pieces(part, target.property):
            stack = graph.stacks[target]
            lifts = [levels.lift(project, mapping) for mapping, _ in stack.drivers]
            heads[target.property] = property_head(pack, stack, lifts, motion)
    return heads


def property_head(
    pack: Pack, stack: Stack, lifts: list[FloatArray], motion: ArrayMotion, *, reach: float = 0.0
) -> dict[str, Any]:
    """Pack what drives one property of pieces: rows of lift, a table of the response, the ends, and the limits.

    Args:
        pack: takes the arrays.
        stack: what gives the property its values.
        lifts: of its drivers' mappings, in their order.
        motion: the array's.
        reach: how far beyond rest and full the table of the response reaches, where lifts do not.
    """
    limit = stack.limit
    return {
        "kind": stack.item.kind,
        "own": parse_colour(stack.own).tolist() if isinstance(stack.own, str) else stack.own,
        "low": None if limit is None else limit.low,
        "high": None if limit is None else limit.high,
        "drivers": [
            _driver(pack, np.atleast_2d(lift), drive, motion, reach)
            for (_, drive), lift in zip(stack.drivers, lifts, strict=True)
        ],
    }


def _driver(pack: Pack, rows: FloatArray, drive: Drive, motion: ArrayMotion, reach: float) -> dict[str, Any]:
    """Pack one driver: f(lift) as a table over all lifts that there are, and of a colour its way over all shares."""
    low, high = rows.min(initial=-reach), rows.max(initial=1.0 + reach)
    first_step, last_step = np.floor(low * _STEPS), np.ceil(high * _STEPS)
    places = np.arange(first_step, last_step + 1) / _STEPS  # 0 and 1, where responses have corners, are among them
    moved = eased(places, drive=drive)
    driver: dict[str, Any] = {
        "rows": pack.add(rows),
        "late": drive.late_frames,
        "stacking": drive.stacking,
        "response": {"from": float(places[0]), "to": float(places[-1]), "values": pack.add(moved)},
        "rest": drive.rest,
        "full": drive.full,
    }
    if isinstance(drive.rest, str):
        gains = motion.gains(np.arange(motion.pieces.n_pieces))
        ends = np.outer([moved.min(), moved.max()], [0.0, gains.min(initial=0.0), gains.max(initial=0.0)])
        first, last = min(0.0, float(ends.min())), max(1.0, float(ends.max()))
        straight = drive.model_copy(update={"response": type(drive.response)(id="straight")})
        colours = value(np.linspace(first, last, _COLOUR_STEPS + 1), drive=straight)
        driver["colours"] = [{"from": first, "to": last, "values": pack.add(channel)} for channel in colours]
    return driver
