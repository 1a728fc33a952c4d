"""Points of paths and products of transforms, as SVG defines them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from math import cos, radians, sin, tan

Box = tuple[float, float, float, float]
Matrix = tuple[float, float, float, float, float, float]
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])|([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}


def path_points(data: str) -> list[tuple[float, float]]:
    """List the ends of a path's pieces (SVG 2, chapter 9), in order; of curves only the ends."""
    tokens = _COMMAND.findall(data)
    points: list[tuple[float, float]] = []
    x = y = 0.0
    start = (0.0, 0.0)
    verb, at = "", 0
    while at < len(tokens):
        if tokens[at][0]:
            verb, at = tokens[at][0], at + 1
            if verb in "Zz":
                x, y = start
                continue
        if not verb:
            break
        count = _TAKES[verb.upper()]
        numbers = [float(number) for word, number in tokens[at : at + count] if not word]
        if len(numbers) < count or not count:
            break
        at += count
        down = numbers[-1] if verb.upper() != "H" else (0.0 if verb.islower() else y)
        across = numbers[-2] if count > 1 else (numbers[-1] if verb.upper() == "H" else (0.0 if verb.islower() else x))
        x, y = (x + across, y + down) if verb.islower() else (across, down)
        points.append((x, y))
        if verb in "Mm":
            start, verb = (x, y), "l" if verb == "m" else "L"
    return points


def through(transform: str, at: tuple[float, float]) -> tuple[float, float]:
    """Move a point through a transform list."""
    a, b, c, d, e, f = matrix_of(transform)
    return a * at[0] + c * at[1] + e, b * at[0] + d * at[1] + f


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
            total = _times(total, one)
    return total


def _times(m: Matrix, n: Sequence[float]) -> Matrix:
    a, b, c, d, e, f = m
    return (
        a * n[0] + c * n[1],
        b * n[0] + d * n[1],
        a * n[2] + c * n[3],
        b * n[2] + d * n[3],
        a * n[4] + c * n[5] + e,
        b * n[4] + d * n[5] + f,
    )


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
