"""How late a hand and its device are: clicks are tapped to, and the middle of the distances is the latency."""

from __future__ import annotations

import io
import wave
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fern_tide.core.base.errors import FernTideError

CLICKS_S = tuple(float(at) for at in np.arange(1.0, 9.6, 0.5))
"""When the clicks set in, in seconds of the sound that is tapped to."""
_LONG_S = 10.0
_RATE_HZ = 44_100
_NEAR_S = 0.25  # a tap this near to a click is meant for it
_LEAST = 8
_UNEVEN_S = 0.06
_DEVIATION = 1.4826  # of a normal distribution, in median absolute deviations


@dataclass(frozen=True)
class Calibration:
    """How late taps are.

    Attributes:
        latency_s: the median of their distances to the clicks.
        spread_s: their standard deviation, from the median absolute one.
        taps: how many were counted.
    """

    latency_s: float
    spread_s: float
    taps: int


@lru_cache(maxsize=1)
def calibration_sound() -> bytes:
    """Give ten seconds of clicks as a WAV file, one channel of 16 bits; each sets in at its very sample."""
    sound = np.zeros(round(_LONG_S * _RATE_HZ))
    at = np.arange(round(0.03 * _RATE_HZ))
    click = 0.8 * np.exp(-at / (0.004 * _RATE_HZ)) * np.cos(2 * np.pi * 1800 * at / _RATE_HZ)
    for start in CLICKS_S:
        first = round(start * _RATE_HZ)
        sound[first : first + len(click)] += click
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(_RATE_HZ)
        file.writeframes(np.round(sound * 32767).astype("<i2").tobytes())
    return out.getvalue()


def measured_latency(taps_s: Sequence[float]) -> Calibration:
    """Measure how late taps to the clicks are.

    Args:
        taps_s: when the taps were, in seconds of the sound as heard.

    Raises:
        FernTideError: there are too few near a click, or they are too uneven to tell.
    """
    taps, clicks = np.sort(np.asarray(taps_s, dtype=np.float64)), np.array(CLICKS_S)
    late = taps - clicks[np.argmin(np.abs(taps[:, np.newaxis] - clicks), axis=1)] if len(taps) else taps
    late = late[np.abs(late) <= _NEAR_S]
    if len(late) < _LEAST:
        words = f"Only {len(late)} taps were near a click."
        raise FernTideError(words, remedy=f"Tap to every click; {_LEAST} are needed.")
    middle = float(np.median(late))
    spread = _DEVIATION * float(np.median(np.abs(late - middle)))
    if spread > _UNEVEN_S:
        raise FernTideError("The taps were too uneven.", remedy="Tap once more, evenly, to every click.")
    return Calibration(middle, spread, len(late))
