"""Equalise: brings the loudest of a level to full scale, so that quiet tracks use the same marks as loud ones."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.cleaning import CleanUp

LIVE_S = 30.0  # live, these last seconds say what is loud
SILENT = 1e-6  # -120 dB: what is never louder than this is left alone


class EqualiseParams(Params):
    """What is brought to full scale."""

    percentile: Annotated[
        float,
        Field(ge=50, le=100),
        unit("%", "100 is the loudest frame; a little less forgives a hit.", step=0.5),
    ] = 99.5


def equalise(level: FloatArray, *, params: EqualiseParams, rate: FrameRate) -> FloatArray:
    """Divide a level by its own percentile, each row by itself.

    Args:
        level: shape (..., frames), linear.
        params: the percentile of the frames that becomes 1.0.
        rate: not used; every clean-up has it.

    Returns:
        The same shape; a silent row stays as it is.
    """
    return equalise_rows(level, percentile=params.percentile)


def equalise_rows(level: FloatArray, *, percentile: float, together: bool = False) -> FloatArray:
    """Divide each row by its own percentile, or all rows by that of the loudest; a silent row stays as it is.

    Args:
        level: shape (..., frames).
        percentile: of the frames, 0 to 100, that becomes 1.0.
        together: whether rows keep their distance.
    """
    if level.shape[-1] == 0:
        return level.copy()
    return np.asarray(level / _tops(level, percentile=percentile, together=together), dtype=np.float64)


def _tops(level: FloatArray, *, percentile: float, together: bool) -> FloatArray:
    """Give what each row is divided by, shape (..., 1)."""
    top = np.percentile(level, percentile, axis=-1, keepdims=True)
    if together:
        top = np.max(top, keepdims=True)
    return np.where(top > SILENT, top, 1.0)


class Equalising:
    """Divides each frame by the percentile of the last half minute, that frame included; see equalise_rows."""

    def __init__(self, *, percentile: float, rate: FrameRate, together: bool = False) -> None:
        self._percentile, self._together = percentile, together
        self._most = max(1, round(rate.frames_of_ms(1000.0 * LIVE_S)))
        self._last: FloatArray | None = None

    def __call__(self, block: FloatArray) -> FloatArray:
        """Take the next frames."""
        before = block[..., :0] if self._last is None else self._last
        whole = np.concatenate([before, block], axis=-1)
        out = np.empty_like(block)
        for frame in range(block.shape[-1]):
            end = before.shape[-1] + frame + 1
            seen = whole[..., max(0, end - self._most) : end]
            tops = _tops(seen, percentile=self._percentile, together=self._together)
            out[..., frame] = block[..., frame] / tops[..., 0]
        self._last = whole[..., max(0, whole.shape[-1] - self._most + 1) :]
        return out


def flow(params: EqualiseParams, rate: FrameRate) -> Flow:
    """Give what equalises by the last half minute."""
    return Equalising(percentile=params.percentile, rate=rate)


def words(params: EqualiseParams) -> str:
    """Say what live is otherwise."""
    return f"Equalise goes by the last {LIVE_S:.0f} s."


CLEAN_UP = CleanUp(
    id="equalise",
    label="Equalise",
    help="Brings the loudest frames to full scale.",
    params=EqualiseParams,
    apply=equalise,
    live=Live(flow, words=words),
)
