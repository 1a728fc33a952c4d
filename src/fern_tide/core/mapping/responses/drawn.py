"""Drawn: a curve through points that are set by hand."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
from pydantic import AfterValidator, StringConstraints

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends

MOST_POINTS = 32
_HIGHEST = 4.0


def read_points(text: str) -> tuple[tuple[float, float], ...]:
    """Read '0.3 0.1, 0.7 0.9' as pairs of lift and height.

    Raises:
        InvalidParameter: it is no such text, lifts do not ascend from above 0 to below 1, or a height is beyond -4..4.
    """
    try:
        pairs = [tuple(float(word) for word in pair.split()) for pair in text.split(",") if pair.strip()]
        points = tuple((x, y) for x, y in pairs)
    except ValueError as cause:
        raise InvalidParameter("points", value=f"{text:.60}", allowed="pairs such as 0.3 0.1, 0.7 0.9") from cause
    across = [0.0, *(x for x, _ in points), 1.0]
    if len(points) > MOST_POINTS or not all(before < after for before, after in pairwise(across)):
        allowed = f"at most {MOST_POINTS} pairs whose first numbers ascend between 0 and 1"
        raise InvalidParameter("points", value=f"{text:.60}", allowed=allowed)
    if not all(abs(y) <= _HIGHEST for _, y in points):
        raise InvalidParameter("points", value=f"{text:.60}", allowed="heights from -4 to 4")
    return points


def _checked(text: str) -> str:
    read_points(text)
    return text


class DrawnParams(Params):
    """The points between (0, 0) and (1, 1)."""

    points: Annotated[
        str,
        StringConstraints(max_length=4000),
        AfterValidator(_checked),
        unit("", "Pairs of lift and height: 0.3 0.1, 0.7 0.9. Drag them on the curve.", kind="points"),
    ] = "0.35 0.1, 0.65 0.9"


def drawn(lift: FloatArray, *, params: DrawnParams) -> FloatArray:
    """Give the height of the curve through the points at each lift, any shape.

    Between two points it never leaves their heights: monotone cubic pieces (F. N. Fritsch and J. Butland, 'A method for
    constructing local monotone piecewise cubic interpolants', 1984).
    """

    def eased(x: FloatArray) -> FloatArray:
        from scipy.interpolate import PchipInterpolator  # slow to import

        across, up = zip((0.0, 0.0), *read_points(params.points), (1.0, 1.0), strict=True)
        return np.asarray(PchipInterpolator(across, up)(x))

    return between_the_ends(lift, eased)


RESPONSE = Response(
    id="drawn",
    label="Drawn by hand",
    help="Goes through points that you drag on the curve.",
    params=DrawnParams,
    apply=drawn,
)
