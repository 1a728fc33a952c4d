"""CSV: one row per frame, one column per property, every digit kept; arrays by formula in tables below."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from itertools import takewhile
from typing import Annotated, Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.factored import largest_error, plain_of
from fern_tide.core.formats.factored_tables import Cell, Table, arrays_of, row_columns, tables_of
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.profile import Decimal, TableParams

_CHANNELS = ("r", "g", "b")


class CsvParams(TableParams):
    """Axes, units, counts and names of the program that the numbers are for."""

    decimal: Annotated[Decimal, unit("", "What stands before fractions; with a comma columns are parted by ;.")] = (
        Decimal.POINT
    )
    by_formula: Annotated[
        bool,
        unit(
            "",
            "Whether arrays go in as rows beside the curves, and tables of pieces below them, not piece by piece.",
            label="Arrays by formula",
        ),
    ] = False


def columns(curve: Curve, params: TableParams) -> list[str]:
    """Name a curve's columns: 'lamp:turn [°]', or three from 0 to 1 for a colour: 'lamp:fill.r [0-1]'."""
    name = params.name_of(curve.target)
    if curve.kind == "colour":
        return [f"{name}.{channel} [0-1]" for channel in _CHANNELS]
    return [f"{name} [{curve.unit or '1'}]"]


def encode(hand_off: HandOff, params: CsvParams) -> bytes:
    """Write 'frame,time_s' and the curves; numbers have as many digits as it takes to read back the same double.

    Arrays by formula have their rows beside the curves, and tables of their own behind an empty line each.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n", delimiter=_parted(params))
    arrays = [plain_of(array) for array in hand_off.arrays]
    lifts = row_columns(arrays)
    names = [name for curve in hand_off.curves for name in columns(curve, params)]
    writer.writerow(["frame", "time_s", *names, *lifts])
    rows = [row for curve in hand_off.curves for row in np.atleast_2d(curve.values).tolist()] + [*lifts.values()]
    for frame in range(hand_off.n_frames):
        numbers = (float(hand_off.rate.seconds(frame)), *(float(row[frame]) for row in rows))
        writer.writerow([frame + params.first_frame, *(_text(number, params) for number in numbers)])
    for table in tables_of(arrays) if arrays else ():
        writer.writerow([])
        writer.writerow(table.head)
        cells = ((_text(cell, params) if isinstance(cell, float) else cell for cell in row) for row in table.rows)
        writer.writerows(cells)
    return out.getvalue().encode()


def _parted(params: CsvParams) -> str:
    return ";" if params.decimal is Decimal.COMMA else ","


def _text(number: float, params: CsvParams) -> str:
    return repr(number).replace(".", ",") if params.decimal is Decimal.COMMA else repr(number)


def read_back(content: bytes, hand_off: HandOff, params: CsvParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their columns."""
    return by_column(hand_off, params, _frames(_tables(content, params)[0], params))


def formula_error(content: bytes, hand_off: HandOff, params: CsvParams) -> float:
    """Give how far the arrays are off that were written by formula."""
    written = {item["part"]: item for item in _arrays(content, params)}
    return max(largest_error(array, written[array.motion.part.id]) for array in hand_off.arrays)


def _arrays(content: bytes, params: CsvParams) -> list[dict[str, Any]]:
    """Read the arrays that were written by formula."""
    frames, *others = _tables(content, params)
    lifts = {name: values.tolist() for name, values in _frames(frames, params).items()}
    return arrays_of({table.head[0]: _numbers(table, params) for table in others}, lifts)


def _tables(content: bytes, params: CsvParams) -> list[Table]:
    """Read the tables, which empty lines part; all their cells are words."""
    lines = iter([*csv.reader(io.StringIO(content.decode()), delimiter=_parted(params)), []])
    tables = []
    while head := next(lines, None):
        tables.append(Table(head, list(takewhile(bool, lines))))
    return tables


def _numbers(table: Table, params: CsvParams) -> Table:
    """Make numbers of what are numbers; facts are JSON, and stay."""
    facts = table.head[0] == "about"
    return table if facts else Table(table.head, [[_cell(str(word), params) for word in row] for row in table.rows])


def _cell(word: str, params: CsvParams) -> Cell:
    try:
        return float(word.replace(",", ".") if params.decimal is Decimal.COMMA else word)
    except ValueError:
        return word


def _frames(table: Table, params: CsvParams) -> dict[str, FloatArray]:
    rows = table.rows
    if params.decimal is Decimal.COMMA:
        rows = [[str(word).replace(",", ".") for word in row] for row in rows]
    numbers = np.array(rows, dtype=np.float64).reshape(len(rows), len(table.head)).T
    return dict(zip(table.head, numbers, strict=True))


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
    by_formula=lambda params: params.by_formula,
    formula_error=formula_error,
    encode=encode,
    read_back=read_back,
)
