"""Low water and high water: the two thresholds that turn a level into lift, and a good first place for them."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, Any

import numpy as np
from pydantic import BeforeValidator, Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import FLOOR_DB, from_db, parse_level, to_db

HIGHEST = 16.0  # that a mark can be: 24 dB above full scale
APART_RATIO = 10 ** (0.5 / 20)
"""How far apart a mark holds the one that it pushes: half a dB."""
HISTOGRAM_BINS = 64
LOWEST_SHOWN_DB = -72.0
STEADY_DB = 2.0
APART = 0.8  # of the variance lies between two crowds that are told apart; of an even spread three quarters do
CLEAR_OF_NOISE = 0.125  # of the way from the noise to the hits


class Scale(StrEnum):
    """Whether lift runs evenly in the linear level or in dB."""

    LINEAR = "linear"
    DB = "db"


def _linear(level: Any) -> Any:
    return parse_level(level)[0] if isinstance(level, str) else level


class Marks(Frozen, frozen=True):
    """At or below low water: rest. At or above high water: full. Both are linear levels, 1.0 being full scale.

    They may be given as text, in dB: '-30dB'.

    Attributes:
        low: low water.
        high: high water, above low water.
        scale: the scale on which lift runs evenly from one to the other.
        spill: lift goes on above 1 when the level passes high water.
    """

    low: Annotated[float, BeforeValidator(_linear), Field(ge=0, le=HIGHEST)]
    high: Annotated[float, BeforeValidator(_linear), Field(gt=0, le=HIGHEST)]
    scale: Scale = Scale.LINEAR
    spill: bool = False

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Move the other mark out of the way, half a dB off."""
        try:
            level = float(_linear(value))
        except (TypeError, ValueError, InvalidParameter):
            return {}  # refused by the field itself
        if field == "low" and level >= self.high:
            return {"high": min(HIGHEST, level * APART_RATIO)}
        if field == "high" and level <= self.low:
            return {"low": max(0.0, level / APART_RATIO)}
        return {}

    @model_validator(mode="after")
    def _in_order(self) -> Marks:
        if self.high <= self.low:
            raise InvalidParameter("High water", value=f"{self.high:g}", allowed=f"more than low water, {self.low:g}")
        return self


def lift(level: FloatArray, *, marks: Marks) -> FloatArray:
    """Give clip((level - low) / (high - low), 0, 1), in linear level or in dB; 'spill' leaves out the upper clip.

    Args:
        level: shape (..., frames), linear.
        marks: the two marks.

    Returns:
        The same shape: exactly 0 at or below low water, exactly 1 at or above high water.
    """
    if marks.scale is Scale.LINEAR:
        low, high, now = marks.low, marks.high, level
    else:
        low, high, now = to_db(marks.low), to_db(marks.high), to_db(level)
    share = (now - low) / (high - low) if high > low else (level >= marks.high).astype(np.float64)
    return np.clip(share, 0.0, None if marks.spill else 1.0)


def crossings(level: FloatArray, *, mark: float) -> int:
    """Count how often a level of shape (frames,) rises above a mark."""
    above = level > mark
    return int(np.count_nonzero(above[1:] & ~above[:-1]) + (len(above) > 0 and above[0]))


def histogram(level: FloatArray, *, scale: Scale) -> tuple[FloatArray, float, float]:
    """Count in how many frames a level is how high.

    Args:
        level: shape (frames,), linear.
        scale: linear, or dB from -72 dB (quieter frames are counted in the first bin).

    Returns:
        The counts, shape (64,), and the ends of their axis, in the scale's own unit.
    """
    top = max(float(level.max(initial=0.0)), 1e-6) * 1.05
    if scale is Scale.LINEAR:
        low, high, now = 0.0, top, level
    else:
        high = max(to_db(top), LOWEST_SHOWN_DB + 6)
        low, now = min(LOWEST_SHOWN_DB, high - 6), to_db(level)
    counts, _ = np.histogram(np.clip(now, low, high), bins=HISTOGRAM_BINS, range=(low, high))
    return counts.astype(np.float64), low, high


@dataclass(frozen=True)
class Suggestion:
    """Marks, and one sentence on why they lie there."""

    marks: Marks
    reason: str


def suggest_marks(level: FloatArray, *, scale: Scale, in_db: bool = True) -> Suggestion:
    """Suggest marks from a level's own histogram: low water over its noise, high water in the body of its hits.

    The two crowds of a level, its floor and its hits, are told apart in dB by Otsu's threshold (N. Otsu, 1979: the cut
    that leaves the most variance between the crowds). Low water lies an eighth of the way from the quiet crowd's upper
    tenth to the middle of the loud crowd;
    high water lets the loudest tenth of the loud crowd cap. A level with no crowds, such as a slow pad, gets the span
    from its 15th to its 95th percentile. A steady tone is at full while it sounds.

    Args:
        level: shape (frames,), linear.
        scale: the scale that the marks will be used on.
        in_db: whether the level is a loudness, so that the reason speaks of dB; else it speaks of percent.
    """
    heard = level[level > from_db(-90.0)]
    if heard.size < 8 or float(heard.max()) < 1e-5:
        marks = Marks(low=from_db(-40.0), high=from_db(-6.0), scale=scale)
        return Suggestion(marks, "There is next to nothing to hear: these are only a start.")
    db = to_db(heard)
    if float(np.ptp(np.percentile(db, [5, 95]))) < STEADY_DB:
        marks = _between(float(db.max()) - 20.0, float(np.percentile(db, 5)), scale)
        return Suggestion(marks, f"A steady sound at {_words(float(np.median(db)), in_db)}: at full while it sounds.")
    cut, parted = _otsu(db)
    quiet, loud = db[db <= cut], db[db > cut]
    if parted >= 0.6 and quiet.size >= 0.15 * db.size and loud.size >= 0.03 * db.size:
        floor, body = float(np.percentile(quiet, 90)), float(np.median(loud))
        low, high = floor + CLEAR_OF_NOISE * (body - floor), float(np.percentile(loud, 90))
        apart = f"Noise sits below {_words(floor, in_db)}; hits reach {_words(high, in_db)}."
        reason = apart if parted >= APART else _span_words(db, in_db)
    else:
        low, high = (float(x) for x in np.percentile(db, [15, 95]))
        reason = _span_words(db, in_db)
    low = max(low, float(np.percentile(db, 10)))  # the quietest tenth rests, however the crowds were told apart
    high = max(high, float(db.min()) + 1.0, FLOOR_DB + 2)
    return Suggestion(_between(low, high, scale), reason)


def _between(low_db: float, high_db: float, scale: Scale) -> Marks:
    """Give marks at two levels in dB, in order, a decibel apart, and within what marks can be."""
    high = min(high_db, to_db(HIGHEST))
    return Marks(low=from_db(min(low_db, high - 1.0)), high=from_db(high), scale=scale)


def _words(db: float, in_db: bool) -> str:
    """Say a level in dB, or in percent of full."""
    return f"{db:.0f} dB" if in_db else f"{100 * from_db(db):.0f} %"


def _span_words(db: FloatArray, in_db: bool) -> str:
    low, high = (float(end) for end in np.percentile(db, [15, 95]))
    ends = f"from {low:.0f} to {high:.0f} dB" if in_db else f"from {_words(low, in_db)} to {_words(high, in_db)}"
    return f"No gap between {'quiet and loud' if in_db else 'low and high'}: most of it lies {ends}."


def _otsu(values: FloatArray) -> tuple[float, float]:
    """Give the best cut of values into two crowds and the share of the variance that it explains, 0 to 1."""
    counts, edges = np.histogram(values, bins=128)
    centres = (edges[:-1] + edges[1:]) / 2
    weight = np.cumsum(counts) / counts.sum()
    mean = np.cumsum(counts * centres) / counts.sum()
    inside = (weight > 0) & (weight < 1)
    between = np.zeros(len(counts))
    between[inside] = (mean[-1] * weight[inside] - mean[inside]) ** 2 / (weight[inside] * (1 - weight[inside]))
    best = int(np.argmax(between))
    variance = float(np.var(values))
    return float(edges[best + 1]), float(between[best] / variance) if variance > 1e-12 else 0.0
