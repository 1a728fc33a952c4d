"""Curves that come from elsewhere: times and values out of CSV or JSON text."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable
from typing import Any

import numpy as np

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.limits import read_json
from fern_tide.core.base.signal import FloatArray

MOST_POINTS = 2_000_000
MOST_BYTES = 64 << 20
_TIMES = ("time_s", "time", "t", "seconds")
_VALUES = ("value", "level", "v", "y")


class UnreadableCurve(FernTideError):
    """A text holds no curve."""


def read_points(content: bytes) -> FloatArray:
    """Read a curve.

    CSV: a header that names a time in seconds (time_s, time, t, seconds) and a value (value, level, v, y, or else the
    last column), or two columns of numbers without one. JSON: {"times": [...], "values": [...]}, a list of pairs, or
    a list of objects with those names.

    Args:
        content: UTF-8 text.

    Returns:
        Shape (2, points): times in seconds, ascending, and values.

    Raises:
        UnreadableCurve: it is neither, has no numbers, or has one that is not finite.
    """
    if len(content) > MOST_BYTES:
        raise UnreadableCurve(f"The curve is larger than {MOST_BYTES >> 20} MB.", remedy="Bring in fewer points.")
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as cause:
        raise UnreadableCurve("The curve is no text.", remedy="Bring in a CSV or JSON file.") from cause
    pairs = _from_json(text) if text.lstrip()[:1] in {"{", "["} else _from_csv(text)
    if not pairs:
        raise UnreadableCurve("The curve has no points.", remedy="Bring in a file with times and values.")
    if len(pairs) > MOST_POINTS:
        raise UnreadableCurve(f"The curve has more than {MOST_POINTS} points.", remedy="Bring in fewer.")
    points = np.array(pairs, dtype=np.float64)
    return np.ascontiguousarray(points[np.argsort(points[:, 0], kind="stable")].T)


def _number(value: Any, where: str) -> float:
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = math.nan
    if not math.isfinite(number) or abs(number) > 1e12 or isinstance(value, bool):
        raise UnreadableCurve(f"{where} of the curve is {value!s:.40}, which is no number.", remedy="Mend the file.")
    return number


def _from_csv(text: str) -> list[tuple[float, float]]:
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    try:
        rows = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if any(cell.strip() for cell in row)]
    except csv.Error as cause:
        raise UnreadableCurve(f"The CSV cannot be read: {cause}.", remedy="Export it again.") from cause
    if not rows:
        return []
    head = [cell.strip().lower() for cell in rows[0]]
    named = any(_is_word(cell) for cell in head)
    time_at = next((head.index(name) for name in _TIMES if name in head), 0) if named else 0
    value_at = next((head.index(name) for name in _VALUES if name in head), len(head) - 1) if named else 1
    if len(head) < 2 or time_at == value_at:
        raise UnreadableCurve("The CSV has no two columns of times and values.", remedy="Name them time_s and value.")
    pairs = []
    for line, row in enumerate(rows[1:] if named else rows, start=2 if named else 1):
        if len(row) <= max(time_at, value_at):
            raise UnreadableCurve(f"Line {line} of the curve is too short.", remedy="Mend the file.")
        pairs.append((_number(row[time_at], f"Line {line}"), _number(row[value_at], f"Line {line}")))
    return pairs


def _is_word(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return True
    return False


def _from_json(text: str) -> list[tuple[float, float]]:
    try:
        plain = read_json(text)
    except ValueError as cause:
        raise UnreadableCurve("The JSON cannot be read.", remedy="Export it again.") from cause
    if isinstance(plain, dict):
        times = next((plain[name] for name in ("times", *_TIMES) if name in plain), None)
        values = next((plain[name] for name in ("values", *_VALUES) if name in plain), None)
        if not isinstance(times, list) or not isinstance(values, list) or len(times) != len(values):
            raise UnreadableCurve("The JSON has no 'times' and 'values' of one length.", remedy="Mend the file.")
        items: Iterable[Any] = zip(times, values, strict=True)
    elif isinstance(plain, list):
        items = plain
    return [_pair(item, at) for at, item in enumerate(items)]


def _pair(item: Any, at: int) -> tuple[float, float]:
    where = f"Point {at + 1}"
    if isinstance(item, dict):
        time = next((item[name] for name in _TIMES if name in item), None)
        value = next((item[name] for name in _VALUES if name in item), None)
        return _number(time, where), _number(value, where)
    if isinstance(item, (list, tuple)) and len(item) == 2:
        return _number(item[0], where), _number(item[1], where)
    raise UnreadableCurve(f"{where} of the curve is no pair of a time and a value.", remedy="Mend the file.")
