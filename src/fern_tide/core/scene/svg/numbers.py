"""Attributes of SVG that must hold numbers, and whether they do (SVG 2, chapters 7 to 11; CSS Values 4, 5 and 6)."""

from __future__ import annotations

import re

_NUMBER = r"[-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?"
_UNIT = r"(?:px|pt|pc|mm|cm|in|em|ex|ch|rem|vw|vh|vmin|vmax|Q|q|%)?"
_GAP = r"(?:\s*,\s*|\s+|(?=[-+.]))"
_ONE = re.compile(rf"\s*{_NUMBER}{_UNIT}\s*")
_MANY = re.compile(rf"\s*(?:{_NUMBER}{_UNIT}(?:{_GAP}{_NUMBER}{_UNIT})*+)?\s*")
_PATH = re.compile(r"[\s,MmLlHhVvCcSsQqTtAaZz0-9eE+\-.]*")
_LARGEST = re.compile(r"[eE]\+?(\d+)")
_LENGTHS = frozenset(
    ("x", "y", "width", "height", "cx", "cy", "r", "rx", "ry", "x1", "y1", "x2", "y2", "fx", "fy", "fr")
)
_LISTS = {("text", "x"), ("text", "y"), ("tspan", "x"), ("tspan", "y")}
_NOT_BELOW_0 = frozenset(("width", "height", "r", "rx", "ry", "fr"))
_WORDS_ALLOWED = frozenset(("auto", "inherit", "initial", "unset", "none"))
_PLAIN = frozenset(("opacity", "fill-opacity", "stroke-opacity", "stop-opacity", "stroke-miterlimit", "offset"))


def holds_numbers(tag: str, name: str, value: str) -> bool:
    """Say whether an attribute that must hold numbers does; True of all others."""
    text = value.strip()
    if name in _LENGTHS or name in _PLAIN:
        if text in _WORDS_ALLOWED or not text or text.startswith(("calc(", "var(")):
            return True
        pattern = _MANY if (tag, name) in _LISTS else _ONE
        if name in _NOT_BELOW_0 and text.startswith("-") and not re.fullmatch(r"-0*\.?0*\D*", text):
            return False
        return bool(pattern.fullmatch(text)) and _is_finite(text)
    if name == "points":
        return bool(_MANY.fullmatch(text)) and _is_finite(text)
    if name == "d" and tag == "path":
        return text == "none" or (bool(_PATH.fullmatch(text)) and _is_finite(text))
    if name in {"transform", "gradientTransform", "patternTransform"}:
        return "nan" not in text.lower() and "infinity" not in text.lower() and _is_finite(text)
    return True


def _is_finite(text: str) -> bool:
    return all(int(power) <= 30 for power in _LARGEST.findall(text)[:1000])
