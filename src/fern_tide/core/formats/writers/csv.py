"""CSV: one row per frame, one column per property, every digit kept."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff

_CHANNELS = ("r", "g", "b")


class CsvParams(Params):
    """CSV has nothing to set."""


def columns(curve: Curve) -> list[str]:
    """Name a curve's columns: 'lamp:turn [°]', or three from 0 to 1 for a colour: 'lamp:fill.r [0-1]'."""
    if curve.kind == "colour":
        return [f"{curve.target}.{channel} [0-1]" for channel in _CHANNELS]
    return [f"{curve.target} [{curve.unit or '1'}]"]


def encode(hand_off: HandOff, params: CsvParams) -> bytes:
    """Write 'frame,time_s' and the curves; numbers have as many digits as it takes to read back the same double."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["frame", "time_s", *(name for curve in hand_off.curves for name in columns(curve))])
    rows = [row for curve in hand_off.curves for row in np.atleast_2d(curve.values).tolist()]
    for frame in range(hand_off.n_frames):
        writer.writerow([frame, repr(float(hand_off.rate.seconds(frame))), *(repr(float(row[frame])) for row in rows)])
    return out.getvalue().encode()


def read_back(content: bytes, hand_off: HandOff, params: CsvParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their columns."""
    head, *rows = csv.reader(io.StringIO(content.decode()))
    table = np.array(rows, dtype=np.float64).reshape(len(rows), len(head)).T
    by_name = dict(zip(head, table, strict=True))
    curves = {}
    for curve in hand_off.curves:
        names = columns(curve)
        if all(name in by_name for name in names):
            values = np.stack([by_name[name] for name in names])
            curves[curve.target] = values if curve.kind == "colour" else values[0]
    return curves


def loses(curve: Curve) -> str | None:
    """Say that nothing is lost."""
    return None


FORMAT = Format(
    id="csv",
    label="CSV",
    help="One row a frame, for spreadsheets and scripts.",
    params=CsvParams,
    extension=".csv",
    media_type="text/csv",
    loses=loses,
    numbers_only=True,
    encode=encode,
    read_back=read_back,
)
