"""Smooth: takes jitter out of a level without making it late."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.cleaning import CleanUp

FWHM_IN_SIGMAS = 2.0 * np.sqrt(2.0 * np.log(2.0))
REACH_IN_SIGMAS = 4.0
_LONG = 40  # frames


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
    sigma = rate.frames_of_ms(params.width_ms) / FWHM_IN_SIGMAS
    reach = int(np.ceil(REACH_IN_SIGMAS * sigma))
    if reach == 0 or level.shape[-1] == 0:
        return level.copy()
    bell = np.exp(-0.5 * (np.arange(reach + 1) / sigma) ** 2)
    bell /= bell[0] + 2.0 * bell[1:].sum()
    n = level.shape[-1]
    padded = np.pad(level, [(0, 0)] * (level.ndim - 1) + [(reach, reach)], mode="edge")
    if reach > _LONG:
        from scipy.ndimage import correlate1d  # slow to import, and faster only for long bells

        whole = np.concatenate([bell[:0:-1], bell])
        return np.asarray(correlate1d(padded, whole, axis=-1)[..., reach : reach + n])
    out: FloatArray = padded[..., reach : reach + n] * bell[0]
    for offset in range(1, reach + 1):  # the bell is the same to both sides
        both = padded[..., reach - offset : reach - offset + n] + padded[..., reach + offset : reach + offset + n]
        both *= bell[offset]
        out += both
    return out


CLEAN_UP = CleanUp(
    id="smooth",
    label="Smooth",
    help="Takes out jitter, centred in time: nothing becomes late.",
    params=SmoothParams,
    apply=smooth,
)
