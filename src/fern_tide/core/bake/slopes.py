"""Slopes for cubic keys that never go beyond the values on either side."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray

_FLAT = 1e-290  # a secant that is as good as none, and whose reciprocal would be no number


def monotone_slopes(rows: FloatArray, places: FloatArray) -> FloatArray:
    """Give the slope of every value, so that cubics through all of them do not overshoot.

    Flat at every peak and dip, else the weighted harmonic mean of the two secants (F. N. Fritsch and J. Butland, 'A
    method for constructing local monotone piecewise cubic interpolants', 1984); at the ends the secant itself.

    Args:
        rows: shape (channels, values).
        places: where they lie, ascending, shape (values,).

    Returns:
        The shape of rows, per unit of the places.
    """
    if rows.shape[1] < 2:
        return np.zeros_like(rows)
    gaps = np.diff(places)
    secants = np.diff(rows, axis=1) / gaps
    before, after = secants[:, :-1], secants[:, 1:]
    w1, w2 = 2 * gaps[1:] + gaps[:-1], gaps[1:] + 2 * gaps[:-1]
    same = (before * after > 0) & (np.minimum(np.abs(before), np.abs(after)) > _FLAT)
    safe_before, safe_after = np.where(same, before, 1.0), np.where(same, after, 1.0)
    inner = np.where(same, (w1 + w2) / (w1 / safe_before + w2 / safe_after), 0.0)
    return np.concatenate([secants[:, :1], inner, secants[:, -1:]], axis=1)
