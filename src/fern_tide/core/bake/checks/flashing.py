"""Flashing that can harm people who see it, measured on the pictures of the stage (core/bake/flashing.py)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, Remedy, name_of
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.flashing import ALLOWED
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray

_CALM = 2.0  # in a second: from rest to full takes half of one
_SELDOM = 2.0  # rises a second: with a fall each, below the three flashes that are allowed
_SHINES = frozenset(
    ("opacity", "fill", "stroke", "fill_opacity", "colour", "emission", "intensity", "strength", "blur")
)


class FlashingParams(Params):
    """How often is too often."""

    most: Annotated[
        int,
        Field(ge=0, le=ALLOWED),
        unit("flashes", "So many in a second are allowed; WCAG allows 3.", label="Most in a second"),
    ] = ALLOWED


def look_at_all(checked: Checked, params: FlashingParams) -> list[Finding]:
    """Find the worst second, where more flashes are in it than are allowed."""
    if checked.flashing is None:
        return []
    most, frame = checked.flashing.most
    if most <= params.most:
        return []
    red = checked.flashing.red[frame] > checked.flashing.general[frame]
    first = max(0, frame + 1 - round(checked.flashing.fps))
    words = f"The stage flashes {most:.0f} times{' in red' if red else ''} in the second from frame {first}"
    curve = _busiest(checked.curves, first, frame + 1)
    if curve is None:
        return [Finding(None, first, words)]
    remedy = Remedy(f"Smooth {name_of(curve)} there", touch=("smooth", first, min(frame + 1, curve.n_frames)))
    return [Finding(curve.target, first, words, remedy, _steps(checked, curve))]


def _steps(checked: Checked, curve: Curve) -> tuple[Remedy, ...]:
    """Give the steps of the mapping that moves a curve by which it changes less often, or less fast."""
    mapping = next(iter(checked.drivers.get(curve.target, ())), None)
    if mapping is None:
        return ()
    entry = {"kind": "add_entry", "owner": "mapping", "id": mapping, "path": "steps"}
    steps: dict[str, dict[str, object]] = {
        f"Let it rise {_SELDOM:g} times a second at most": {"id": "seldom", "params": {"per_s": _SELDOM}},
        "Let it change less fast": {"id": "speed_limit", "params": {"up": _CALM, "down": _CALM}},
    }
    return tuple(Remedy(words, command={**entry, "value": step}) for words, step in steps.items())


def _busiest(curves: Sequence[Curve], first: int, end: int) -> Curve | None:
    """Give the curve of light or colour that goes to and fro the most in some frames; None where none does."""
    ways = []
    for curve in curves:
        rows = np.atleast_2d(curve.values)[:, first:end]
        if curve.target.property in _SHINES and rows.shape[1] > 1 and curve.span > 0:
            ways.append((float(np.abs(np.diff(rows)).sum()) / curve.span, curve))
    return max(ways, key=lambda way: way[0])[1] if ways else None


def graph(checked: Checked) -> FloatArray:
    """Give the flashes in the second that ends with each frame, as a share of what is allowed."""
    if checked.flashing is None:
        return np.zeros(0)
    return np.maximum(checked.flashing.general, checked.flashing.red) / ALLOWED


CHECK = Check(
    id="flashing",
    label="The stage never flashes more than three times a second",
    help="More can harm people with photosensitive epilepsy (WCAG 2.3.1, ITU-R BT.1702).",
    params=FlashingParams,
    look_at_all=look_at_all,
    graph=graph,
    waits=lambda checked: "Measured on the pictures of the stage" if checked.flashing is None else "",
)
