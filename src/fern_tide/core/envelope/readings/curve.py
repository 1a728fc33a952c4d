"""Imported curve: a level that was measured or drawn elsewhere."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, in_shares


class Scaled(StrEnum):
    """Values as they are, or brought so that the lowest is 0 and the highest 1."""

    AS_IT_IS = "as_it_is"
    TO_ONE = "to_one"


class CurveParams(Params):
    """Which file, and how its values and times are taken."""

    media: Annotated[
        str, Field(pattern=r"^([0-9a-f]{64})?$"), unit("", "A CSV or JSON file of times and values.", kind="file")
    ] = ""
    scaled: Annotated[Scaled, unit("", "To one: the lowest value is 0 and the highest 1.")] = Scaled.TO_ONE
    later_s: Annotated[float, Field(ge=-36_000, le=36_000), unit("s", "So much later.", step=0.01)] = 0.0


def media(params: CurveParams) -> tuple[str, ...]:
    """Give the file."""
    return (params.media,) if params.media else ()


def read(params: CurveParams, source: Source) -> FloatArray:
    """Give the curve at each frame's beginning, between points along a straight line, shape (frames,).

    Before the first point and after the last their values go on. Without a file it is silent.
    """
    if not params.media:
        return np.zeros(source.n_frames)
    times, values = source.points(params.media)
    if params.scaled is Scaled.TO_ONE:
        values = (values - values.min()) / (float(np.ptp(values)) or 1.0)
    at = source.rate.times(np.arange(source.n_frames, dtype=np.int64))
    return np.asarray(np.interp(at - params.later_s, times, values), dtype=np.float64)


READING = Reading(
    id="curve",
    label="Imported curve",
    help="A level that was measured or drawn elsewhere, from a CSV or JSON file.",
    params=CurveParams,
    role="file",
    read=read,
    of_track=False,
    media=media,
    unit=in_shares,
)
