"""The delay of a picture behind its sound: of a screen, of what feeds it, or of a room in which sound travels."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Frozen, unit


class PictureDelay(Frozen, frozen=True):
    """How much later the picture is seen than the sound is heard, and whether what is handed off makes up for it.

    Attributes:
        ms: in milliseconds; less than 0 where the sound comes later, as it does from far away.
        baked: whether files and proofs are earlier by as much.
    """

    ms: Annotated[
        float,
        Field(ge=-2000, le=2000),
        unit("ms", "How much later the picture is than the sound.", step=1, label="Picture delay"),
    ] = 0.0
    baked: Annotated[bool, unit("", "Whether what is handed off is earlier by as much.")] = False

    def frames(self, rate: FrameRate) -> float:
        """Give the delay in frames."""
        return self.ms / 1000.0 * rate.per_second

    def earlier(self, rate: FrameRate) -> float:
        """Give by how many frames what is handed off is earlier."""
        return self.frames(rate) if self.baked else 0.0
