"""Numbers and small pictures as text, for templates."""

from __future__ import annotations

import numpy as np

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
