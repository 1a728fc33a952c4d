"""How much is taken in: lists of documents and edits have a largest length, and JSON is counted before it is built.

One place for all of them, so that what a small file can cost is known. The limits of files that come in are beside
their readers: sounds in core/sound/decode.py, scenes in core/scene/svg/reading.py, core/scene/gltf/container.py and
core/scene/images.py, archives in core/project_file.py. Those of arrays' pieces are in core/scene/arrays (layout.py and
inside.py), and those of what is written out of them in core/bake/expand_size.py.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import GetCoreSchemaHandler
from pydantic_core import PydanticKnownError, core_schema

from fern_tide.core.base.errors import FernTideError

MOST_TRACKS = 200
MOST_ENVELOPES = 2_000
MOST_MAPPINGS = 10_000
MOST_MARKERS = 5_000
MOST_PARTS = 100_000
MOST_DRIVES = 20_000
"""Of one mapping."""
MOST_CHOICES = 64
"""Clean-ups of an envelope, or steps of a mapping."""
MOST_COMMANDS = 2_000
"""In one edit."""
MOST_VALUES = 400
"""A part's own values."""
MOST_FRAMES = 1_296_000
"""Of a project: three hours at 120 frames a second."""
MOST_JSON_VALUES = 3_000_000
"""Numbers, texts, lists and so on in one JSON text."""
_TEXT = re.compile(rb'"(?:[^"\\]|\\.)*"', re.DOTALL)


class TooMuch(FernTideError):
    """Something would be larger than is taken."""


@dataclass(frozen=True)
class Most:
    """The largest length of a list or of named values, seen before its entries; the first wrong entry ends the look."""

    max_length: int

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> core_schema.CoreSchema:
        """Put the length before what the entries must be."""
        schema: Any = handler(source)
        inner = schema["schema"] if schema["type"] == "default" else schema
        inner["max_length"] = self.max_length
        if inner["type"] in {"list", "tuple"}:
            inner["fail_fast"] = True
        return core_schema.no_info_before_validator_function(self._check, schema)

    def _check(self, value: Any) -> Any:
        if isinstance(value, (list, tuple, dict)) and len(value) > self.max_length:
            kind = "Dictionary" if isinstance(value, dict) else "Tuple"
            lengths = {"field_type": kind, "max_length": self.max_length, "actual_length": len(value)}
            raise PydanticKnownError("too_long", lengths)
        return value


def read_json(
    text: str | bytes,
    *,
    most_values: int = MOST_JSON_VALUES,
    number: Callable[[str], Any] | None = None,
    constant: Callable[[str], Any] | None = None,
) -> Any:
    """Read JSON of which it was counted first that it does not hold too much.

    Args:
        text: UTF-8, or text.
        most_values: how many numbers, texts, lists and so on it may hold.
        number: reads what has a point or an exponent; None is float.
        constant: reads NaN and the infinities; None is float.

    Raises:
        TooMuch: it holds more.
        ValueError: it is no JSON, or is nested without an end.
    """
    raw = text.encode("utf-8", "surrogatepass") if isinstance(text, str) else text
    count = _separators(raw)
    if count > most_values:  # the same in texts, such as the data of a path, is no value
        count = _separators(_TEXT.sub(b'""', raw))
    if count > most_values:
        raise TooMuch(
            f"It holds {count:,} values, and {most_values:,} are taken.", remedy="Choose a smaller one, or split it."
        )
    try:
        return json.loads(text, parse_float=number, parse_constant=constant)
    except RecursionError as cause:
        raise ValueError("nested without an end") from cause


def _separators(raw: bytes) -> int:
    return sum(raw.count(sign) for sign in (b",", b"[", b"{"))
