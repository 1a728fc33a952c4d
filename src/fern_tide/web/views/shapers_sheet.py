"""What the Stage shows of a solid's shapers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaper import Shaper
from fern_tide.core.scene.shaping import MOST_SHAPERS, SHAPERS, ShaperChoice, Shaping, can_be_shaped, n_shapes


@dataclass(frozen=True)
class ShapersSheet:
    """What is shown of a solid's shapers.

    Attributes:
        shapers: its own.
        adders: each shaper with the edit that adds it; none where there are as many as can be.
        n_shapes: how many shapes stand for all that they can do.
    """

    shapers: Sequence[Shaping]
    adders: Sequence[tuple[Shaper, dict[str, Any]]]
    n_shapes: int


def shapers_sheet(part: Part) -> ShapersSheet | None:
    """Give the sheet of a solid, or of a part with a mesh; None of what cannot be shaped."""
    if not can_be_shaped(part):
        return None
    used = {one.slot for one in part.shapers}
    free = next((slot for slot in range(1, MOST_SHAPERS + 1) if slot not in used), None)
    adders = [] if free is None else [(spec, _adds(part, free, spec)) for spec in SHAPERS.values()]
    return ShapersSheet(part.shapers, adders, n_shapes(part.shapers))


def _adds(part: Part, slot: int, spec: Shaper) -> dict[str, Any]:
    value = Shaping(slot=slot, shaper=ShaperChoice(id=spec.id)).model_dump(mode="json")
    return AddEntry(owner=Owner.PART, id=part.id, path="shapers", value=value).model_dump(mode="json")
