"""The params of a reach that stands in the scene, and what they say."""

from __future__ import annotations

from typing import Annotated

from fern_tide.core.base.params import Params, unit
from fern_tide.core.mapping.drive import ResponseChoice
from fern_tide.core.scene.arrays.reach import Fading, ReachChoice


class PartFading(Fading, frozen=True):
    """A region that is a part of its own; its properties are that part's."""

    def name(self, what: str) -> str:
        """Give the name of one of its properties, such as reach_outer."""
        return f"reach_{what}"


class ReachParams(Params):
    """What it covers, and how motion fades at its edge."""

    shape: Annotated[ReachChoice, unit("", "What it covers.", kind="spec")] = ReachChoice(id="ball")
    away: Annotated[bool, unit("", "Whether it takes motion away inside.", label="Takes away")] = False
    easing: Annotated[ResponseChoice, unit("", "How motion fades at its edge.", kind="spec")] = ResponseChoice(
        id="smooth"
    )


def fading(params: ReachParams) -> Fading:
    """Give the region."""
    return PartFading(shape=params.shape, away=params.away, easing=params.easing)
