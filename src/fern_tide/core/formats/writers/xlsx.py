"""Spreadsheet: a sheet a part with its curves, a row a frame, and a chart (Office Open XML)."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from defusedxml import ElementTree as SafeET

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.profile import TableParams
from fern_tide.core.formats.writers.csv import by_column, columns

_MOST_ROWS = 1_048_575
_MOST_CELLS = 20_000_000
_IN_NAMES = re.compile(r"[\[\]:*?/\\\x00-\x1f]")
_LETTERS = 31
_WHEN = np.datetime64("2000-01-01T00:00:00").item()
"""When it says that it was made: the same document gives the same bytes."""
_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"


class XlsxParams(TableParams):
    """Axes, units, counts and names of the program that the numbers are for."""


def encode(hand_off: HandOff, params: XlsxParams) -> bytes:
    """Write a sheet for every part that moves.

    Raises:
        FernTideError: there are more frames, or more numbers, than such a file holds.
    """
    import xlsxwriter  # slow to import, and seldom used

    cells = hand_off.n_frames * sum(3 if curve.kind == "colour" else 1 for curve in hand_off.curves)
    if hand_off.n_frames > _MOST_ROWS or cells > _MOST_CELLS:
        raise FernTideError("This is more than a spreadsheet holds.", remedy="Write CSV, or let fewer parts go in.")
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}) as book:
        book.set_properties({"title": hand_off.name, "created": _WHEN})
        names: set[str] = set()
        times = [float(hand_off.rate.seconds(frame)) for frame in range(hand_off.n_frames)]
        for part_id, curves in hand_off.by_part.items():
            name = _sheet_name(hand_off.scene.part(part_id).name, names)
            _sheet(book, name, list(curves.values()), times, params=params)
            hand_off.progress(len(curves))
    return out.getvalue()


def _sheet_name(name: str, taken: set[str]) -> str:
    """Give a part's name as a sheet may be called, each once: such names have no case."""
    plain = _IN_NAMES.sub(" ", name).strip(" '")[:_LETTERS] or "part"
    tried, number = plain, 1
    while tried.lower() in taken or tried.lower() == "history":
        number += 1
        tail = f" {number}"
        tried = plain[: _LETTERS - len(tail)] + tail
    taken.add(tried.lower())
    return tried


def _sheet(book: Any, name: str, curves: Sequence[Curve], times: list[float], *, params: XlsxParams) -> None:
    sheet = book.add_worksheet(name)
    frames = [frame + params.first_frame for frame in range(len(times))]
    heads = [head for curve in curves for head in columns(curve, params)]
    rows = [row for curve in curves for row in np.atleast_2d(curve.values).tolist()]
    for column, head in enumerate(["frame", "time_s", *heads]):
        sheet.write_string(0, column, head)
    for column, numbers in enumerate([frames, times, *rows]):
        sheet.write_column(1, column, numbers)
    sheet.freeze_panes(1, 2)
    sheet.set_column(2, 1 + len(heads), 18)
    chart = book.add_chart({"type": "scatter", "subtype": "straight"})
    for column in range(2, 2 + len(heads)):
        chart.add_series(
            {
                "name": [name, 0, column],
                "categories": [name, 1, 1, len(times), 1],
                "values": [name, 1, column, len(times), column],
                "line": {"width": 1},
            }
        )
    chart.set_x_axis({"name": "seconds", "min": 0, "max": times[-1] if times else 0})
    chart.set_size({"width": 900, "height": 360})
    sheet.insert_chart(1, 3 + len(heads), chart)


def read_back(content: bytes, hand_off: HandOff, params: XlsxParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their columns."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        strings = ["".join(item.itertext()) for item in SafeET.fromstring(archive.read("xl/sharedStrings.xml"))]
        sheets = [name for name in archive.namelist() if name.startswith("xl/worksheets/sheet")]
        by_name: dict[str, FloatArray] = {}
        for name in sheets:
            by_name |= _columns(archive.read(name), strings)
    return by_column(hand_off, params, by_name)


def _columns(sheet: bytes, strings: list[str]) -> dict[str, FloatArray]:
    head, *rows = SafeET.fromstring(sheet).iter(f"{_MAIN}row")
    names = [strings[int(cell.findtext(f"{_MAIN}v", "0"))] for cell in head]
    table = np.array([[float(cell.findtext(f"{_MAIN}v", "nan")) for cell in row] for row in rows]).reshape(
        len(rows), len(names)
    )
    return dict(zip(names, table.T, strict=True))


def loses(curve: Curve) -> str | None:
    """Say that numbers are rounded."""
    return "numbers to sixteen digits"


FORMAT = Format(
    id="xlsx",
    label="Spreadsheet",
    help="A sheet a part, a row a frame, with a chart.",
    params=XlsxParams,
    extension=".xlsx",
    media_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    loses=loses,
    encode=encode,
    read_back=read_back,
    rounds_by=1e-12,
    numbers_only=True,
    lacks="what parts look like: only their numbers",
)
