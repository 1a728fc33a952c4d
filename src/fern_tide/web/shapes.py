"""Numbers and small pictures as text, for templates."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import json
from jinja2.utils import htmlsafe_json_dumps
from markupsafe import Markup

from fern_tide.core.base.signal import FloatArray


def number_text(value: float | int | str) -> str:
    """Write a number for a field: at most four digits after the point, none that say nothing."""
    if isinstance(value, str):
        return value
    text = f"{value:.4f}".rstrip("0").rstrip(".")
    return "0" if text in {"-0", ""} else text


def clock_text(seconds: float) -> str:
    """Write a length as m:ss."""
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"


def size_text(count: int) -> str:
    """Write a number of bytes."""
    for size, unit, digits in ((1e9, "GB", 1), (1e6, "MB", 0)):
        if count >= size:
            return f"{count / size:.{digits}f} {unit}"
    return f"{count / 1e3:.0f} kB"


def data_script(value: Any, **attributes: str) -> Markup:
    """Write data for the page's scripts as an element that the browser does not run.

    Args:
        value: anything that JSON can say.
        attributes: of the element; an underscore in a name stands for a hyphen.
    """
    pairs = Markup().join(Markup(' {}="{}"').format(name.replace("_", "-"), text) for name, text in attributes.items())
    data = htmlsafe_json_dumps(value, dumps=json.dumps, sort_keys=True)
    return Markup('<script type="application/json"{}>{}</script>').format(pairs, data)


def spark_points(values: FloatArray, *, width: int = 150, height: int = 26) -> str:
    """Give the points of a small polyline of a curve.

    Args:
        values: shape (frames,), or (3, frames) for a colour, of which the lightness is drawn.
        width: in pixels; the curve is drawn with its highest and lowest value per column.
        height: in pixels.
    """
    row = values if values.ndim == 1 else values.mean(axis=0)
    if row.size == 0:
        return ""
    columns = np.array_split(row, min(width, row.size))
    ends = np.array([[column.min(), column.max()] for column in columns]).ravel()
    span = float(np.ptp(row)) or 1.0
    ys = height - 2 - (ends - row.min()) / span * (height - 4)
    xs = np.repeat(np.linspace(1, width - 1, len(columns)), 2)
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))


def graph_points(shares: FloatArray, *, columns: int = 100, height: float = 20.0) -> str:
    """Give the points of a graph of shares over time, its top twice what is allowed; '' where there is none."""
    if not shares.size:
        return ""
    highest = [float(part.max()) for part in np.array_split(shares, min(columns, shares.size))]
    step = columns / max(1, len(highest) - 1)
    rows = (height * (1 - min(1.0, share / 2)) for share in highest)
    return " ".join(f"{place * step:.1f},{row:.1f}" for place, row in enumerate(rows))
