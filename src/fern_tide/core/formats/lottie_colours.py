"""Colours as drawings write them, with how opaque they are (CSS Color 4: names, hex, rgb() and hsl(), old and new)."""

from __future__ import annotations

import colorsys
import re

from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.scene.svg.parts import colour

_CALL = re.compile(r"^(rgb|hsl)a?\(([^()]{1,80})\)$", re.IGNORECASE)
_HEX = re.compile(r"^#(?:[0-9a-f]{4}|[0-9a-f]{8})$", re.IGNORECASE)
_NUMBER = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+))(%|deg|turn)?$", re.IGNORECASE)


def colour_of(text: str) -> tuple[list[float], float] | None:
    """Read a colour as sRGB and its opacity, all from 0 to 1; None for 'none' and for what is no colour."""
    words = text.strip()
    if _HEX.match(words):
        digits = words[1:] if len(words) == 9 else "".join(digit * 2 for digit in words[1:])
        return parse_colour(f"#{digits[:6]}").tolist(), int(digits[6:], 16) / 255
    if (call := _CALL.match(words)) is None:
        return None if (hexed := colour(words)) is None else (parse_colour(hexed).tolist(), 1.0)
    numbers = [_NUMBER.match(word) for word in re.split(r"[\s,/]+", call[2].strip())]
    if len(numbers) not in {3, 4} or None in numbers:
        return None
    whole = 255.0 if call[1].lower() == "rgb" else 100.0
    first, second, third, *much = [(float(one[1]), (one[2] or "").lower()) for one in numbers if one is not None]
    opacity = _within(much[0][0] / (100 if much[0][1] else 1)) if much else 1.0
    if whole == 255.0:
        return [_within(value / (100 if unit else whole)) for value, unit in (first, second, third)], opacity
    turn = first[0] if first[1] == "turn" else first[0] / 360
    return list(colorsys.hls_to_rgb(turn, _within(third[0] / whole), _within(second[0] / whole))), opacity


def _within(value: float) -> float:
    return min(max(value, 0.0), 1.0)
