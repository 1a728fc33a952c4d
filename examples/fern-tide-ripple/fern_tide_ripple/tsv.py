"""TSV: CSV with tabs between its columns."""

from __future__ import annotations

from collections.abc import Mapping

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.writers import csv


class TsvParams(Params):
    """TSV has nothing to set."""


def encode(hand_off: HandOff, params: TsvParams) -> bytes:
    """Write the rows of a CSV with tabs: no name or number of it has a comma inside."""
    return csv.encode(hand_off, csv.CsvParams()).replace(b",", b"\t")


def read_back(content: bytes, hand_off: HandOff, params: TsvParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their columns."""
    return csv.read_back(content.replace(b"\t", b","), hand_off, csv.CsvParams())


FORMAT = Format(
    id="tsv",
    label="TSV",
    help="One row a frame, with tabs, for spreadsheets that count with commas.",
    params=TsvParams,
    extension=".tsv",
    media_type="text/tab-separated-values",
    loses=csv.loses,
    encode=encode,
    read_back=read_back,
)
