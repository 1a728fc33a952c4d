"""Takes: what was performed while a sound played, raw, and how several of them become one.

A take's times are seconds of the sound's clock as it was heard; how late the hand or the device is lies beside them and
is taken off when a take is read, never when it is stored.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from itertools import pairwise
from typing import Annotated, Any

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.limits import read_json
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import MediaHash, Name

HEAD = b'{"take":1,'
MOST_POINTS = 400_000
MOST_BYTES = 48 << 20
MOST_TAKES = 200
MOST_STRETCHES = 1_000
_LATEST_S = 36_000.0
_MOST_LATENCY_S = 2.0


class TakeKind(StrEnum):
    """What was performed: hits, or the way of a pointer."""

    TAPS = "taps"
    GESTURE = "gesture"


CHANNELS = {TakeKind.TAPS: ("strength",), TakeKind.GESTURE: ("across", "up", "pressure")}
"""What is recorded beside the times, 0 to 1 each."""


class Latency(StrEnum):
    """Where it is known from how late a device is."""

    MEASURED = "measured"
    BROWSER = "browser"
    NONE = "none"


class UnreadableTake(FernTideError):
    """A text holds no take."""


@dataclass(frozen=True)
class Take:
    """One performance.

    Attributes:
        kind: what was performed.
        device: what it was performed with.
        begin_s: when recording began, in seconds of the project as heard; end_s when it ended.
        latency_s: how much later than what was meant the device says that it happened.
        latency_from: where that is known from.
        times_s: when each point was, as heard, ascending; shape (points,).
        values: by the kind's channels, 0 to 1, shape (points,) each.
    """

    kind: TakeKind
    device: str
    begin_s: float
    end_s: float
    latency_s: float
    latency_from: Latency
    times_s: FloatArray
    values: Mapping[str, FloatArray]

    @property
    def meant_s(self) -> FloatArray:
        """When each point was meant: without the latency, shape (points,)."""
        return np.asarray(self.times_s - self.latency_s)

    def content(self) -> bytes:
        """Give the take as the file that is stored of it."""
        plain = {
            "take": 1,
            "kind": self.kind,
            "device": self.device,
            "begin_s": self.begin_s,
            "end_s": self.end_s,
            "latency_s": self.latency_s,
            "latency_from": self.latency_from,
            "times_s": self.times_s.tolist(),
            "values": {name: self.values[name].tolist() for name in CHANNELS[self.kind]},
        }
        return json.dumps(plain, separators=(",", ":")).encode()


@lru_cache(maxsize=128)
def read_take(content: bytes) -> Take:
    """Read a stored take; it is asked for with every level that is made of it.

    Raises:
        UnreadableTake: it is none, is too large, or something in it cannot be.
    """
    if len(content) > MOST_BYTES:
        raise UnreadableTake(f"The take is larger than {MOST_BYTES >> 20} MB.", remedy="Perform it in parts.")
    try:
        plain = read_json(content.decode("utf-8"))
    except (ValueError, FernTideError) as cause:
        raise UnreadableTake("The take cannot be read.", remedy="Perform it again.") from cause
    return take_of(plain)


def take_of(plain: Any) -> Take:
    """Give a take from its plain data, its points in the order of time.

    Raises:
        UnreadableTake: something in it is missing, or cannot be.
    """
    if not isinstance(plain, dict) or plain.get("take") != 1:
        raise UnreadableTake("This is no take.", remedy="Perform it again.")
    try:
        kind, source = TakeKind(str(plain.get("kind"))), Latency(str(plain.get("latency_from", "none")))
    except ValueError as cause:
        raise UnreadableTake("The take is of no kind that is known.", remedy="Update Fern Tide.") from cause
    times, given = plain.get("times_s"), plain.get("values")
    columns: list[Any] = [times, *(given.get(name) if isinstance(given, dict) else None for name in CHANNELS[kind])]
    if not all(isinstance(column, list) for column in columns) or len({len(column) for column in columns}) > 1:
        raise UnreadableTake("The take's times and values do not belong together.", remedy="Perform it again.")
    if len(columns[0]) > MOST_POINTS:
        raise UnreadableTake(f"The take has more than {MOST_POINTS:,} points.", remedy="Perform it in parts.")
    rows = np.array([[_number(value) for value in column] for column in columns], dtype=np.float64)
    begin, end, latency = (_number(plain.get(name, 0.0)) for name in ("begin_s", "end_s", "latency_s"))
    if end < begin or max(map(abs, (begin, end))) > _LATEST_S or abs(latency) > _MOST_LATENCY_S:
        raise UnreadableTake("The take's beginning, end or latency cannot be.", remedy="Perform it again.")
    rows = rows[:, np.argsort(rows[0], kind="stable")]
    values = {name: frozen(np.clip(row, 0.0, 1.0)) for name, row in zip(CHANNELS[kind], rows[1:], strict=True)}
    return Take(kind, str(plain.get("device", ""))[:120], begin, end, latency, source, frozen(rows[0]), values)


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise UnreadableTake(f"{value!s:.40} in the take is no number.", remedy="Perform it again.")
    if abs(value) > _LATEST_S:
        raise UnreadableTake(f"{value:g} in the take is too much.", remedy="Perform it again.")
    return float(value)


class Performed(Frozen, frozen=True):
    """A take of an envelope: its file, and what people call it."""

    media: MediaHash
    name: Name


class Stretch(Frozen, frozen=True):
    """A stretch of time, in seconds of the project, and the take that is best there, counted from 0."""

    begin_s: Annotated[float, Field(ge=-_LATEST_S, le=_LATEST_S)]
    end_s: Annotated[float, Field(ge=-_LATEST_S, le=_LATEST_S)]
    take: Annotated[int, Field(ge=0, lt=MOST_TAKES)]

    @model_validator(mode="after")
    def _in_order(self) -> Stretch:
        if self.end_s <= self.begin_s:
            raise InvalidParameter("stretch", value=f"{self.begin_s:g} to {self.end_s:g} s", allowed="an end after it")
        return self


def owners(at_s: FloatArray, takes: Sequence[Take], stretches: Sequence[Stretch]) -> npt.NDArray[np.int64]:
    """Say which take counts at some times: the one chosen for the stretch, or else the last that was recorded there.

    Args:
        at_s: in seconds of the project, shape (times,).
        takes: in the order in which they were recorded.
        stretches: which are chosen; later ones lie over earlier ones.

    Returns:
        Shape (times,), -1 where there is none.
    """
    counts = np.full(at_s.shape, -1, dtype=np.int64)
    for place, take in enumerate(takes):
        counts[(at_s >= take.begin_s - take.latency_s) & (at_s < take.end_s - take.latency_s)] = place
    for one in stretches:
        counts[(at_s >= one.begin_s) & (at_s < one.end_s)] = one.take
    return counts


def counting(takes: Sequence[Take], stretches: Sequence[Stretch]) -> list[tuple[float, float, int]]:
    """List from when to when which take counts, in seconds of the project, ascending; nothing where none does."""
    ends = [at - take.latency_s for take in takes for at in (take.begin_s, take.end_s)]
    if not ends:
        return []
    times = sorted({*ends, *(at for one in stretches for at in (one.begin_s, one.end_s) if min(ends) < at < max(ends))})
    middles = np.array([(a + b) / 2 for a, b in pairwise(times)])
    listed: list[tuple[float, float, int]] = []
    for (begin, end), place in zip(pairwise(times), owners(middles, takes, stretches).tolist(), strict=True):
        if listed and listed[-1][1:] == (begin, place):
            listed[-1] = (listed[-1][0], end, place)
        elif 0 <= place < len(takes):
            listed.append((begin, end, place))
    return listed


def tapped(takes: Sequence[Take], stretches: Sequence[Stretch]) -> tuple[FloatArray, FloatArray]:
    """Give the hits of takes put together: times in seconds of the project, ascending, and strengths; (hits,) each."""
    times, strengths = [np.zeros(0)], [np.zeros(0)]
    for place, take in enumerate(takes):
        if take.kind is TakeKind.TAPS:
            mine = owners(take.meant_s, takes, stretches) == place
            times.append(take.meant_s[mine])
            strengths.append(take.values["strength"][mine])
    joined = np.concatenate(times)
    order = np.argsort(joined, kind="stable")
    return joined[order], np.concatenate(strengths)[order]


def led(channel: str, at_s: FloatArray, takes: Sequence[Take], *, stretches: Sequence[Stretch]) -> FloatArray:
    """Give a channel of gestures put together, straight between the two points about each time; shape (times,).

    Where no take counts, what was last stays; before the first, it is as it begins. Without any it is 0.

    Args:
        channel: 'across', 'up' or 'pressure'.
        at_s: in seconds of the project, ascending, shape (times,).
        takes: in the order in which they were recorded; taps count as nothing.
        stretches: which are chosen.
    """
    counts = owners(at_s, takes, stretches)
    level = np.full(at_s.shape, np.nan)
    for place, take in enumerate(takes):
        if take.kind is TakeKind.GESTURE and len(take.times_s):
            mine = counts == place
            level[mine] = np.interp(at_s[mine], take.meant_s, take.values[channel])
    known = np.flatnonzero(~np.isnan(level))
    if not len(known):
        return np.zeros(at_s.shape)
    last = np.maximum.accumulate(np.where(np.isnan(level), known[0], np.arange(len(level))))
    return np.asarray(level[last])
