"""Smooth: takes jitter out of a level without making it late."""

from __future__ import annotations

from functools import lru_cache
from math import ceil, log, sqrt
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live, Looking
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, extended, frozen
from fern_tide.core.envelope.cleaning import CleanUp

FWHM_IN_SIGMAS = 2.0 * sqrt(2.0 * log(2.0))
REACH_IN_SIGMAS = 4.0
_LONG = 40  # frames
_FEW = 512  # frames


class SmoothParams(Params):
    """How wide the bell is."""

    width_ms: Annotated[
        float, Field(ge=0, le=10_000), unit("ms", "The bell's full width at half its height.", step=5)
    ] = 80.0


def smooth(level: FloatArray, *, params: SmoothParams, rate: FrameRate) -> FloatArray:
    """Convolve with a Gaussian centred on each frame, so that nothing becomes late.

    Args:
        level: shape (..., frames).
        params: width_ms is the full width at half maximum: 2 sqrt(2 ln 2) standard deviations.
        rate: turns the width into frames.

    Returns:
        The same shape. Before the start and after the end the first and last level go on, so a steady level stays.
    """
    sigma, reach = _spread(params.width_ms, rate)
    if reach == 0 or level.shape[-1] == 0:
        return level.copy()
    return _convolved(extended(level, before=reach, after=reach), _bell(sigma, reach))


def smooth_stretch(values: FloatArray, *, first: int, end: int, width_ms: float, rate: FrameRate) -> FloatArray:
    """Give what `smooth` makes of some frames of a curve: the same numbers, from no more of it than they need.

    Args:
        values: the whole curve, shape (..., frames).
        first: the first frame that is wanted.
        end: the one after the last.
        width_ms: see `smooth`.
        rate: turns the width into frames.

    Returns:
        Shape (..., end - first).
    """
    sigma, reach = _spread(width_ms, rate)
    if reach == 0:
        return values[..., first:end].copy()
    before, after = max(0, reach - first), max(0, end + reach - values.shape[-1])
    around = values[..., first - reach + before : end + reach - after]
    if before or after:
        around = extended(around, before=before, after=after)
    return _convolved(around, _bell(sigma, reach))


def _convolved(padded: FloatArray, bell: FloatArray) -> FloatArray:
    """Give what the bell makes of the frames that it has a whole neighbourhood of."""
    reach = len(bell) - 1
    n = padded.shape[-1] - 2 * reach
    if reach > _LONG:
        from scipy.ndimage import correlate1d  # slow to import, and faster only for long bells

        whole = np.concatenate([bell[:0:-1], bell])
        return np.asarray(correlate1d(padded, whole, axis=-1)[..., reach : reach + n])
    if padded.ndim == 1 and 1 < n <= _FEW and padded.dtype == np.float64 and padded.flags.c_contiguous:
        return _at_once(padded, bell)
    out: FloatArray = padded[..., reach : reach + n] * bell[0]
    for offset in range(1, reach + 1):  # the bell is the same to both sides
        both = padded[..., reach - offset : reach - offset + n] + padded[..., reach + offset : reach + offset + n]
        both *= bell[offset]
        out += both
    return out


@lru_cache(maxsize=64)
def _bell(sigma: float, reach: int) -> FloatArray:
    """Give the weights of a frame and of those to one side of it, shape (1 + reach,)."""
    bell = np.exp(-0.5 * (np.arange(reach + 1) / sigma) ** 2)
    return frozen(bell / (bell[0] + 2.0 * bell[1:].sum()))


def _at_once(padded: FloatArray, bell: FloatArray) -> FloatArray:
    """Smooth a few frames in one go: the same sums in the same order as step by step, so the same numbers."""
    reach, step = len(bell) - 1, padded.itemsize
    shape = (reach + 1, len(padded) - 2 * reach)
    later = np.ndarray(shape, padded.dtype, padded, reach * step, (step, step))
    earlier = np.ndarray(shape, padded.dtype, padded, reach * step, (-step, step))
    both = later + earlier
    both *= bell[:, np.newaxis]
    both[0] *= 0.5  # there both are the frame itself
    return np.asarray(both.sum(axis=0))


def _spread(width_ms: float, rate: FrameRate) -> tuple[float, int]:
    """Give the standard deviation, and how far the bell reaches to a side, in frames."""
    sigma = rate.frames_of_ms(width_ms) / FWHM_IN_SIGMAS
    return sigma, ceil(REACH_IN_SIGMAS * sigma)


def _half_bell(params: SmoothParams, rate: FrameRate) -> FloatArray:
    """Give the weights of the present frame and of those before it, shape (frames,)."""
    sigma, reach = _spread(params.width_ms, rate)
    if reach == 0:
        return np.ones(1)
    bell = np.exp(-0.5 * (np.arange(reach + 1) / sigma) ** 2)
    return np.asarray(bell / bell.sum())


def flow(params: SmoothParams, rate: FrameRate) -> Flow:
    """Give what weighs the present frame and those before it by half the bell; before the start the first goes on."""
    bell = _half_bell(params, rate)
    back = len(bell) - 1

    def smoothed(level: FloatArray) -> FloatArray:
        if level.shape[-1] == 0:
            return level.copy()
        padded = extended(level, before=back)
        return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, back + 1, axis=-1) @ bell[::-1])

    return Looking(smoothed, back_frames=back)


def lag_frames(params: SmoothParams, rate: FrameRate) -> float:
    """Give how late half a bell is: the mean of its weights."""
    bell = _half_bell(params, rate)
    return float(bell @ np.arange(len(bell)))


CLEAN_UP = CleanUp(
    id="smooth",
    label="Smooth",
    help="Takes out jitter, centred in time: nothing becomes late.",
    params=SmoothParams,
    apply=smooth,
    live=Live(flow, lag_frames=lag_frames),
)
