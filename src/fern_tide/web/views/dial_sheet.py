"""What the Stage shows of a dial: its numbers, and what adds another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.scene.dials import MOST_NUMBERS, DialNumber, DialParams
from fern_tide.core.scene.scene import Part


@dataclass(frozen=True)
class DialSheet:
    """What the sheet of a dial shows.

    Attributes:
        numbers: its own.
        more: the edit that adds one; None where there are as many as can be.
    """

    numbers: Sequence[DialNumber]
    more: dict[str, Any] | None


def dial_sheet(part: Part) -> DialSheet | None:
    """Give the sheet of a dial; None for any other part."""
    params = part.shape.params
    if not isinstance(params, DialParams):
        return None
    used = {number.slot for number in params.numbers}
    free = next((slot for slot in range(1, MOST_NUMBERS + 1) if slot not in used), None)
    if free is None:
        return DialSheet(params.numbers, None)
    new = DialNumber(slot=free, name=f"Level {free}").model_dump(mode="json")
    added = AddEntry(owner=Owner.PART, id=part.id, path="shape.params.numbers", value=new)
    return DialSheet(params.numbers, added.model_dump(mode="json"))
