"""Numbers, lengths and transforms, as SVG defines them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from math import cos, radians, sin, tan

Box = tuple[float, float, float, float]
Matrix = tuple[float, float, float, float, float, float]
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_LENGTH = re.compile(r"^\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*(px|pt|pc|mm|cm|in|)\s*$")
_LONGEST_LENGTH, MOST_PX = 64, 1e9
_PX = {"": 1.0, "px": 1.0, "pt": 96 / 72, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}  # CSS 2.1, 4.3.2


def length(text: str | None) -> float | None:
    """Read a length in px; None for percentages and for what is no length."""
    match = _LENGTH.match(text) if text and len(text) <= _LONGEST_LENGTH else None
    px = float(match[1]) * _PX[match[2]] if match else None
    return px if px is not None and abs(px) <= MOST_PX else None


def share(text: str, otherwise: float = 0.0) -> float:
    """Read a number or a percentage as a share."""
    words = text.strip()
    number = length(words.removesuffix("%"))
    return otherwise if number is None else number / (100 if words.endswith("%") else 1)


_CALL = re.compile(r"(?<![A-Za-z])([A-Za-z]++)\s*+\(([^()]*+)\)")


@lru_cache(maxsize=4096)
def matrix_of(transform: str) -> Matrix:
    """Multiply a transform list out (SVG 1.1, 7.6): a, b, c, d, e, f; what is not understood changes nothing."""
    total: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    for verb, inside in _CALL.findall(transform):
        n = [float(word) for word in NUMBER.findall(inside)]
        one: Sequence[float] | None = None
        if verb == "matrix" and len(n) == 6:
            one = n
        elif verb == "translate" and n:
            one = (1, 0, 0, 1, n[0], n[1] if len(n) > 1 else 0.0)
        elif verb == "scale" and n:
            one = (n[0], 0, 0, n[1] if len(n) > 1 else n[0], 0, 0)
        elif verb == "rotate" and n:
            turn = radians(n[0])
            px, py = (n[1], n[2]) if len(n) > 2 else (0.0, 0.0)
            co, si = cos(turn), sin(turn)
            one = (co, si, -si, co, px - co * px + si * py, py - si * px - co * py)
        elif verb in {"skewX", "skewY"} and n:
            lean = tan(radians(n[0]))
            one = (1, 0, lean, 1, 0, 0) if verb == "skewX" else (1, lean, 0, 1, 0, 0)
        if one is not None:
            total = product(total, one)
    return total


def fitted(view: Sequence[float], width: float, height: float) -> Matrix:
    """Give how a view box is fitted into a size: as large as it goes, in the middle (SVG 1.1, 7.8).

    Args:
        view: left, top, width and height.
        width: of what it is fitted into, in px.
        height: of the same.
    """
    left, top, wide, tall = view
    scale = min(width / wide, height / tall)
    x, y = (width - wide * scale) / 2 - left * scale, (height - tall * scale) / 2 - top * scale
    return (scale, 0.0, 0.0, scale, x, y)


_ALIGNED = re.compile(r"^x(Min|Mid|Max)Y(Min|Mid|Max)(?: (meet|slice))?$")
_SHARES = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}


def viewed(attributes: Mapping[str, str]) -> Matrix:
    """Give what an svg element's view box makes of what lies in it (SVG 2, 8.2), from its attributes.

    Sizes in percent are taken for those of its view box.
    """
    x, y = (length(attributes.get(name)) or 0.0 for name in ("x", "y"))
    numbers = [length(word) for word in attributes.get("viewBox", "").replace(",", " ").split()[:5]]
    view = [number for number in numbers if number is not None]
    if len(view) != 4 or not (view[2] > 0 and view[3] > 0):
        return (1.0, 0.0, 0.0, 1.0, x, y)
    left, top, wide, tall = view
    width, height = (length(attributes.get(name)) or size for name, size in (("width", wide), ("height", tall)))
    across, down = width / wide, height / tall
    kind = " ".join(attributes.get("preserveAspectRatio", "xMidYMid").split())
    if kind.startswith("none"):
        return (across, 0.0, 0.0, down, x - left * across, y - top * down)
    aligned = _ALIGNED.match(kind) or _ALIGNED.match("xMidYMid")
    assert aligned is not None
    scale = max(across, down) if aligned[3] == "slice" else min(across, down)
    right = _SHARES[aligned[1]] * (width - wide * scale) - left * scale
    below = _SHARES[aligned[2]] * (height - tall * scale) - top * scale
    return (scale, 0.0, 0.0, scale, x + right, y + below)


def product(m: Matrix, n: Sequence[float]) -> Matrix:
    """Multiply two transforms: the second goes first."""
    a, b, c, d, e, f = m
    return (
        a * n[0] + c * n[1],
        b * n[0] + d * n[1],
        a * n[2] + c * n[3],
        b * n[2] + d * n[3],
        a * n[4] + c * n[5] + e,
        b * n[4] + d * n[5] + f,
    )


def inverse(matrix: Matrix) -> Matrix | None:
    """Give the transform that undoes one; None of one that makes everything a line or a point."""
    a, b, c, d, e, f = matrix
    size = a * d - b * c
    if not size:
        return None
    a, b, c, d = d / size, -b / size, -c / size, a / size
    return a, b, c, d, -a * e - c * f, -b * e - d * f


def number(value: float) -> str:
    """Write a number with seven significant digits and no exponent, as SVG's oldest readers expect."""
    text = f"{value:.7g}"
    if "e" in text:
        text = f"{value:.7f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in {"-0", ""} else text


def place(numbers: Sequence[float], *, anchor: tuple[float, float], base: str) -> str:
    """Write a place before an element's own transform: moved, then turned and scaled about its anchor.

    Args:
        numbers: across, down, turn in degrees, width, height.
        anchor: in what the element lies in.
        base: the transform that the element came with.
    """
    x, y, turn, wide, tall = numbers
    if (x, y, turn, wide, tall) == (0.0, 0.0, 0.0, 1.0, 1.0):
        return base
    ax, ay = anchor
    pieces = [f"translate({number(x + ax)} {number(y + ay)})", f"rotate({number(turn)})"]
    pieces += [f"scale({number(wide)} {number(tall)})", f"translate({number(-ax)} {number(-ay)})"]
    return " ".join([*pieces, base]).strip()
