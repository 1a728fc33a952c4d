"""Rise and fall: a level that climbs and sinks at its own paces, so that hits ring out."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.cleaning import CleanUp


class FallShape(StrEnum):
    """How a level sinks: by a share of what is left, or by the same amount every second."""

    SOFT = "soft"
    STRAIGHT = "straight"


class RiseAndFallParams(Params):
    """Times for the way up and the way down."""

    rise_ms: Annotated[
        float, Field(ge=0, le=10_000), unit("ms", "Time to come within 1/e of a higher level; 0 is at once.", step=5)
    ] = 10.0
    fall_ms: Annotated[
        float, Field(ge=0, le=60_000), unit("ms", "Time to sink within 1/e of a lower level; 0 is at once.", step=10)
    ] = 180.0
    fall: Annotated[FallShape, unit("", "Soft rings out; straight sinks evenly, full scale in the fall time.")] = (
        FallShape.SOFT
    )


def rise_and_fall(level: FloatArray, *, params: RiseAndFallParams, rate: FrameRate) -> FloatArray:
    """Follow a level with a one-pole filter whose time differs up and down.

    Args:
        level: shape (..., frames).
        params: times to reach 1 - 1/e of a step; a straight fall loses 1.0 in fall_ms.
        rate: turns times into frames: the share kept per frame is exp(-1 / frames).

    Returns:
        The same shape. The first frame is the level itself, so nothing starts bent.
    """
    return RiseAndFall(params, rate)(level)


class RiseAndFall:
    """A follower that goes on from one stretch to the next."""

    def __init__(self, params: RiseAndFallParams, rate: FrameRate) -> None:
        self._up, self._down = (_share_left(rate.frames_of_ms(ms)) for ms in (params.rise_ms, params.fall_ms))
        straight = params.fall is FallShape.STRAIGHT and params.fall_ms > 0
        self._drop = 1.0 / rate.frames_of_ms(params.fall_ms) if straight else 0.0
        self._last: FloatArray | None = None

    def __call__(self, block: FloatArray) -> FloatArray:
        """Take the next frames."""
        if block.shape[-1] == 0:
            return block.copy()
        last = block[..., 0] if self._last is None else self._last
        out = self._follow_one(block, float(last)) if block.ndim == 1 else self._follow(block, last)
        self._last = out[..., -1].copy()
        return out

    def _follow(self, level: FloatArray, last: FloatArray) -> FloatArray:
        out = np.empty_like(level)
        for frame in range(level.shape[-1]):
            now = level[..., frame]
            down = np.maximum(now, last - self._drop) if self._drop else now + (last - now) * self._down
            last = np.where(now > last, now + (last - now) * self._up, down)
            out[..., frame] = last
        return out

    def _follow_one(self, level: FloatArray, last: float) -> FloatArray:
        """The same for one level: a plain loop over a list is many times faster than one over arrays of one."""
        rise, sink, drop = 1.0 - self._up, 1.0 - self._down, self._drop
        if drop:
            followed = [
                last := last + (now - last) * rise if now > last else max(now, last - drop) for now in level.tolist()
            ]
        else:
            followed = [last := last + (now - last) * (rise if now > last else sink) for now in level.tolist()]
        return np.fromiter(followed, dtype=np.float64, count=level.size)


def _share_left(frames: float) -> float:
    return float(np.exp(-1.0 / frames)) if frames > 0 else 0.0


def without_lag(params: RiseAndFallParams) -> tuple[tuple[str, dict[str, Any]], ...]:
    """Give a bell twice as wide as the rise, centred, and then only the fall."""
    fall = params.model_dump(mode="json") | {"rise_ms": 0.0}
    return ("smooth", {"width_ms": min(2 * params.rise_ms, 10_000.0)}), ("rise_and_fall", fall)


CLEAN_UP = CleanUp(
    id="rise_and_fall",
    label="Rise and fall",
    help="Climbs and sinks at its own paces, so that hits ring out.",
    params=RiseAndFallParams,
    apply=rise_and_fall,
    without_lag=without_lag,
    live=Live(RiseAndFall),
)
