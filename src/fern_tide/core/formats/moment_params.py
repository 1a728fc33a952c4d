"""Which of a project's moments go into a file."""

from __future__ import annotations

from typing import Annotated

from fern_tide.core.base.params import Params, unit
from fern_tide.core.formats.format import Moments


class MomentParams(Params):
    """Which moments go in."""

    markers: Annotated[bool, unit("", "Markers go in.", label="Markers")] = True
    hits: Annotated[bool, unit("", "The hits of tracks that drive go in.", label="Hits")] = True
    beats: Annotated[bool, unit("", "The beat grid goes in.", label="Beats")] = False

    def of(self, moments: Moments) -> Moments:
        """Give those that go in."""
        none = Moments()
        return Moments(
            markers=moments.markers if self.markers else (),
            hits=moments.hits if self.hits else {},
            beats=moments.beats if self.beats else none.beats,
            bars=moments.bars if self.beats else none.bars,
        )
