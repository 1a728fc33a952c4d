"""Flashing that can harm people who see it, measured on the pictures of the stage (core/bake/flashing.py)."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding
from fern_tide.core.bake.flashing import ALLOWED
from fern_tide.core.base.params import Params, unit


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
    return [Finding(None, first, words)]


CHECK = Check(
    id="flashing",
    label="The stage never flashes more than three times a second",
    help="More can harm people with photosensitive epilepsy (WCAG 2.3.1, ITU-R BT.1702).",
    params=FlashingParams,
    look_at_all=look_at_all,
    waits=lambda checked: "Measured on the pictures of the stage" if checked.flashing is None else "",
)
