"""CSV: one row per frame, one column per property, every digit kept."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from typing import Annotated

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.profile import Decimal, TableParams

_CHANNELS = ("r", "g", "b")


class CsvParams(TableParams):
    """Axes, units, counts and names of the program that the numbers are for."""

    decimal: Annotated[Decimal, unit("", "What stands before fractions; with a comma columns are parted by ;.")] = (
        Decimal.POINT
    )


def columns(curve: Curve, params: TableParams) -> list[str]:
    """Name a curve's columns: 'lamp:turn [°]', or three from 0 to 1 for a colour: 'lamp:fill.r [0-1]'."""
    name = params.name_of(curve.target)
    if curve.kind == "colour":
        return [f"{name}.{channel} [0-1]" for channel in _CHANNELS]
    return [f"{name} [{curve.unit or '1'}]"]


def encode(hand_off: HandOff, params: CsvParams) -> bytes:
    """Write 'frame,time_s' and the curves; numbers have as many digits as it takes to read back the same double."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n", delimiter=_parted(params))
    writer.writerow(["frame", "time_s", *(name for curve in hand_off.curves for name in columns(curve, params))])
    rows = [row for curve in hand_off.curves for row in np.atleast_2d(curve.values).tolist()]
    for frame in range(hand_off.n_frames):
        numbers = (float(hand_off.rate.seconds(frame)), *(float(row[frame]) for row in rows))
        writer.writerow([frame + params.first_frame, *(_text(number, params) for number in numbers)])
    return out.getvalue().encode()


def _parted(params: CsvParams) -> str:
    return ";" if params.decimal is Decimal.COMMA else ","


def _text(number: float, params: CsvParams) -> str:
    return repr(number).replace(".", ",") if params.decimal is Decimal.COMMA else repr(number)


def read_back(content: bytes, hand_off: HandOff, params: CsvParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their columns."""
    head, *rows = csv.reader(io.StringIO(content.decode()), delimiter=_parted(params))
    if params.decimal is Decimal.COMMA:
        rows = [[word.replace(",", ".") for word in row] for row in rows]
    table = np.array(rows, dtype=np.float64).reshape(len(rows), len(head)).T
    return by_column(hand_off, params, dict(zip(head, table, strict=True)))


def by_column(hand_off: HandOff, params: TableParams, table: Mapping[str, FloatArray]) -> Mapping[Target, FloatArray]:
    """Give the values of the curves whose columns a table has, by the columns' names."""
    curves = {}
    for curve in hand_off.curves:
        names = columns(curve, params)
        if all(name in table for name in names):
            values = np.stack([table[name] for name in names])
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
