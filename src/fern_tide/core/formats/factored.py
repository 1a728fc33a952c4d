"""Arrays by formula, as plain JSON: rows, order, lateness and weights apart, from which any piece's value follows.

    v_i(k) = rest + g_i r_i(k) f(u_bi(k - late_i)) (full - rest)

with what SIGNAL has under 'Many pieces'. It is as long as there are pieces and rows, not as long as both times frames.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.bake.expand import Moved
from fern_tide.core.bake.pieces import ArrayMotion, own_lifts, piece_values
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.drive import Drive, eased
from fern_tide.core.scene.arrays.field import Between, Places

_STEPS = 1024
_CHECKED = 64
"""Pieces whose values are worked out of what was written, and compared."""
_ROWS = {"type": "array", "items": {"type": "array", "items": {"type": "number"}}}
_NUMBERS = {"type": "array", "items": {"type": "number"}}
ARRAY_SCHEMA: dict[str, Any] = {
    "type": "object",
    "description": "An array by formula: piece i is v_i(k) = rest + g_i r_i(k) f(u_bi(k - late_i)) (full - rest).",
    "properties": {
        "part": {"type": "string"},
        "name": {"type": "string"},
        "pieces": {"type": "integer", "minimum": 1},
        "made_from": {"type": "array", "items": {"type": "integer"}},
        "stands": {
            "type": "object",
            "description": "By size, what times it.",
            "additionalProperties": _ROWS,
        },
        "stands_fixed": {"oneOf": [{"type": "null"}, _ROWS]},
        "turns": {"oneOf": [{"type": "null"}, _ROWS]},
        "ranks": _NUMBERS,
        "gains": _NUMBERS,
        "late_frames": {"type": "number"},
        "nearest_row": {"type": "boolean"},
        "own": {"type": "object"},
        "reaches": {"type": "array", "items": {"type": "object"}},
        "properties": {"type": "array", "items": {"type": "object"}},
        "thrown": {"type": "object"},
    },
    "required": ["part", "pieces", "ranks", "gains", "properties"],
    "additionalProperties": False,
}
"""JSON Schema of one."""


@dataclass(frozen=True)
class ByFormula:
    """An array that is written by formula.

    Attributes:
        motion: how its layout and reaches move.
        moved: what drives each driven property of its pieces.
    """

    motion: ArrayMotion
    moved: Mapping[str, Moved]


def plain_of(array: ByFormula) -> dict[str, Any]:
    """Give an array as plain JSON; see docs/formats.md."""
    motion = array.motion
    pieces, params = motion.pieces, motion.params
    every = np.arange(pieces.n_pieces)
    thrown = params.layout.spec.throws
    throw = None if thrown is None else thrown(params.layout.params, flat=motion.part.kind.space == "2d")
    plain: dict[str, Any] = {
        "part": motion.part.id,
        "name": motion.part.name,
        "pieces": pieces.n_pieces,
        "made_from": pieces.sources.tolist(),
        "stands": {name: way.tolist() for name, way in pieces.laid.ways.items()},
        "stands_fixed": None if pieces.laid.fixed is None else pieces.laid.fixed.tolist(),
        "turns": pieces.laid.turns.T.tolist() if pieces.laid.turns.any() else None,
        "ranks": pieces.ranks.tolist(),
        "gains": motion.gains(every).tolist(),
        "late_frames": motion.late_frames,
        "nearest_row": params.rows is Between.NEAREST,
        "own": {item.id: motion.part.own(item.id) for item in params.own_properties(motion.part.kind.space)},
        "reaches": [reach.model_dump(mode="json") for reach in params.reaches],
        "properties": [_property(name, moved) for name, moved in array.moved.items()],
    }
    if throw is not None:
        kinds = throw.kinds
        plain["thrown"] = {
            "first_size": throw.first_size,
            "last_size": throw.last_size,
            "uneven": throw.uneven,
            "before_s": throw.before_s,
            "kinds": {name: getattr(kinds, name).T.tolist() for name in ("places", "out", "aside", "beyond", "shares")},
        }
    return plain


def _property(name: str, moved: Moved) -> dict[str, Any]:
    stack = moved.stack
    limit = None if stack.limit is None else [stack.limit.low, stack.limit.high]
    drivers = zip(stack.drivers, moved.lifts, strict=True)
    return {
        "property": name,
        "kind": stack.item.kind,
        "own": stack.own,
        "limit": limit,
        "drivers": [_driver(drive, lift) for (_, drive), lift in drivers],
    }


def _driver(drive: Drive, lift: FloatArray) -> dict[str, Any]:
    rows = np.atleast_2d(lift)
    low, high = min(0.0, float(rows.min(initial=0.0))), max(1.0, float(rows.max(initial=1.0)))
    places = np.unique([*np.linspace(low, high, _STEPS), 0.0, 1.0])
    moved = eased(places, drive=drive)
    return {
        "rows": rows.tolist(),
        "late_frames": drive.late_frames,
        "stacking": drive.stacking,
        "rest": drive.rest,
        "full": drive.full,
        "stops": [stop.model_dump(mode="json") for stop in drive.stops],
        "response": {"id": drive.response.id, "lift": places.tolist(), "eased": moved.tolist()},
    }


def largest_error(array: ByFormula, plain: Mapping[str, Any]) -> float:
    """Give how far numbers that follow from a written array are from the baked ones, as a share of their range.

    Args:
        array: as baked.
        plain: as written. Reaches are taken from the array: they are written as they are.
    """
    n, pieces = int(plain["pieces"]), array.motion.pieces
    which = np.unique(np.round(np.linspace(0, n - 1, min(n, _CHECKED))).astype(np.int64))
    order = np.abs(np.array(plain["ranks"]) - pieces.ranks).max(initial=0.0)
    worst = max(float(order), abs(float(plain["late_frames"]) - array.motion.late_frames))
    for item in plain["properties"]:
        moved = array.moved[item["property"]]
        if item["kind"] == "colour":
            continue
        baked = piece_values(array.motion, moved.stack, moved.lifts, which=which)
        read = _values(array.motion, plain, item, which)
        worst = max(worst, float(np.abs(read - baked).max(initial=0.0)) / (float(np.ptp(baked)) or 1.0))
    return worst


def _values(motion: ArrayMotion, plain: Mapping[str, Any], item: Mapping[str, Any], which: Places) -> FloatArray:
    reach = motion.reach(which)
    shares = np.array(plain["gains"])[which][:, np.newaxis] * (1.0 if reach is None else reach)
    total: FloatArray | None = None
    for driver in item["drivers"]:
        lift = own_lifts(motion, np.array(driver["rows"]), which, late_frames=driver["late_frames"])
        eased = np.interp(lift, driver["response"]["lift"], driver["response"]["eased"])
        now = driver["rest"] + shares * eased * (driver["full"] - driver["rest"])
        under = item["own"] if total is None else total
        total = {"add": under + now, "multiply": under * now}.get(driver["stacking"], now)
    values = np.full((len(which), motion.n_frames), item["own"]) if total is None else np.asarray(total)
    low, high = item["limit"] or (None, None)
    return values if low is None and high is None else np.clip(values, low, high)
