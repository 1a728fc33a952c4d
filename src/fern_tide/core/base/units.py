"""The only place that turns one unit of level, angle or text into another."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import overload

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.signal import FloatArray


class TimeUnit(StrEnum):
    """What a length of time is counted in."""

    FRAMES = "frames"
    MS = "ms"


FLOOR_DB = -120.0
_FLOOR = 10.0 ** (FLOOR_DB / 20.0)


@overload
def to_db(level: float) -> float: ...
@overload
def to_db(level: FloatArray) -> FloatArray: ...
def to_db(level: float | FloatArray) -> float | FloatArray:
    """Give a linear level in dBFS (1.0 is 0 dB); silence is the floor, -120 dB."""
    db = 20.0 * np.log10(np.maximum(level, _FLOOR))
    return float(db) if np.ndim(db) == 0 else db


@overload
def from_db(db: float) -> float: ...
@overload
def from_db(db: FloatArray) -> FloatArray: ...
def from_db(db: float | FloatArray) -> float | FloatArray:
    """Give a level in dBFS as a linear level; the floor, -120 dB and below, is silence: 0."""
    level = np.where(np.asarray(db) <= FLOOR_DB, 0.0, 10.0 ** (np.asarray(db, dtype=np.float64) / 20.0))
    return float(level) if level.ndim == 0 else level


@dataclass(frozen=True)
class OwnUnit:
    """What a level is counted in by those who measure it.

    Attributes:
        name: dB, LUFS, Hz, s, or share for what is 0 to 1 and has no unit.
        of: gives it from the linear level, shape (..., frames).
        in_db: whether it is a loudness, which people read in decibels.
    """

    name: str
    of: Callable[[FloatArray], FloatArray]
    in_db: bool = False


DECIBELS = OwnUnit("dB", to_db, in_db=True)
LUFS = OwnUnit("LUFS", to_db, in_db=True)
SHARE = OwnUnit("share", lambda level: level)
SECONDS = OwnUnit("s", lambda level: level)


def parse_level(text: str) -> tuple[float, bool]:
    """Read '-30dB', '25%' or '0.25' as (linear level, whether it was written in dB).

    Raises:
        InvalidParameter: the text is neither, or not finite, or negative.
    """
    stripped = text.strip()
    in_db, in_percent = stripped.lower().endswith("db"), stripped.endswith("%")
    try:
        number = float(stripped[:-2]) if in_db else float(stripped[:-1]) / 100 if in_percent else float(stripped)
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or (not in_db and number < 0):
        raise InvalidParameter("level", value=text, allowed="a level such as 0.25 or -12dB")
    return (from_db(number) if in_db else number), in_db
