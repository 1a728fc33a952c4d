"""The two edges of what is read, in Hz: what is refused, and how one pushes the other along."""

from __future__ import annotations

import math
from typing import Any

from fern_tide.core.base.errors import InvalidParameter

APART = 1.06  # as a ratio: a semitone
LEAST_HZ = 1.0
HIGHEST_HZ = 96_000.0


def check_edges(low_hz: float, high_hz: float) -> None:
    """Refuse edges out of order.

    Raises:
        InvalidParameter: the upper edge is not above the lower one.
    """
    if high_hz <= low_hz:
        allowed = f"more than Low, {low_hz:g} Hz"
        raise InvalidParameter("High", value=f"{high_hz:g}", allowed=allowed, field="high_hz")


def pushed_edges(low_hz: float, high_hz: float, *, field: str, value: Any) -> dict[str, float]:
    """Give the other edge where one that is set reaches it: a semitone and a hertz off, in whole Hz.

    Args:
        low_hz: the lower edge as it is.
        high_hz: the upper edge as it is.
        field: which is set, 'low_hz' or 'high_hz'; nothing is pushed by other fields.
        value: to what, as it was typed.
    """
    try:
        edge = float(value)
    except (TypeError, ValueError):
        return {}  # refused by the field itself
    if field == "low_hz" and edge >= high_hz:
        return {"high_hz": min(HIGHEST_HZ, math.ceil(edge * APART + LEAST_HZ))}
    if field == "high_hz" and edge <= low_hz:
        return {"low_hz": max(0.0, math.floor(edge / APART - LEAST_HZ))}
    return {}
