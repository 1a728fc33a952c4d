"""Colours as drawings write them, with how opaque they are (CSS Color 4: names, hex, rgb() and hsl(), old and new)."""

from __future__ import annotations

import colorsys
import re
from collections.abc import Sequence

from PIL import ImageColor

from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.scene.svg.drawing import Node
from fern_tide.core.scene.svg.geometry import number, share

_CALL = re.compile(r"^(rgb|hsl)a?\(([^()]{1,80})\)$", re.IGNORECASE)
_HEX = re.compile(r"^#(?:[0-9a-f]{4}|[0-9a-f]{8})$", re.IGNORECASE)
_NUMBER = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+))(%|deg|turn)?$", re.IGNORECASE)
_NONE = frozenset(("none", "currentcolor", "inherit", "transparent"))
_HALF_SEEN = ("#", "rgb", "hsl")
_PAINTS = {"fill": "fill-opacity", "stroke": "stroke-opacity", "stop-color": "stop-opacity"}


def colour(text: str | None) -> str | None:
    """Read a CSS colour as '#rrggbb'; None for 'none', paint servers and what is no colour."""
    known = None if text is None else colour_of(text)
    return None if known is None else "#" + "".join(f"{int(255 * value + 0.5):02x}" for value in known[0])


def colour_of(text: str) -> tuple[list[float], float] | None:
    """Read a colour as sRGB and its opacity, all from 0 to 1; None for 'none' and for what is no colour."""
    words = text.strip()
    if not words or words.lower() in _NONE or "url(" in words:
        return None
    if _HEX.match(words):
        digits = words[1:] if len(words) == 9 else "".join(digit * 2 for digit in words[1:])
        return parse_colour(f"#{digits[:6]}").tolist(), int(digits[6:], 16) / 255
    if (call := _CALL.match(words)) is None:
        try:
            red, green, blue = ImageColor.getrgb(words)[:3]
        except ValueError:
            return None
        return [red / 255, green / 255, blue / 255], 1.0
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


def with_own_opacity(attributes: Sequence[dict[str, str]], nodes: Sequence[Node]) -> tuple[dict[str, str], ...]:
    """Write colours that are half seen through as plain ones with an opacity beside them, so that each can move.

    Args:
        attributes: of each element, styles written into them.
        nodes: the elements, each after what it lies in.
    """
    out, passed = [], list[dict[str, tuple[float, float]]]()
    for node, own in zip(nodes, attributes, strict=True):
        above = passed[node.parent] if node.parent >= 0 else {}
        mine, written = {}, {}
        for paint, opacity in _PAINTS.items():
            before = above.get(paint, (1.0, 1.0)) if paint != "stop-color" else (1.0, 1.0)
            is_paint, is_opacity = (own.get(name, "inherit") != "inherit" for name in (paint, opacity))
            known = colour_of(own[paint]) if is_paint and own[paint].lower().startswith(_HALF_SEEN) else None
            much = (1.0 if known is None else known[1]) if is_paint else before[0]
            plain = _within(share(own[opacity], 1.0)) if is_opacity else before[1]
            mine[paint] = much, plain
            if known is not None and known[1] < 1:
                written[paint] = str(colour(own[paint]))
            if (is_paint or is_opacity) and min(much, before[0]) < 1:
                written[opacity] = number(much * plain)
        passed.append(above if mine == above else mine)
        out.append({**own, **written} if written else own)
    return tuple(out)


def _within(value: float) -> float:
    return min(max(value, 0.0), 1.0)
