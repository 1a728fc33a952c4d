"""Arrays for the page: a small JSON head and little-endian float32 numbers behind it.

Four bytes of head length, the head padded with spaces to a multiple of four, then the arrays one after another; the
head's 'arrays' lists each array's shape in that order. A shape that begins with "bytes" is of bytes, padded likewise.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np
import numpy.typing as npt
from flask import Response

from fern_tide.core.base.signal import FloatArray


class Pack:
    """Collects arrays and gives each a number that the head can name."""

    def __init__(self) -> None:
        self._arrays: list[bytes] = []
        self._shapes: list[list[int | str]] = []

    def add(self, values: FloatArray) -> int:
        """Add an array and give its number."""
        self._arrays.append(np.ascontiguousarray(values, dtype="<f4").tobytes())
        self._shapes.append(list(values.shape))
        return len(self._shapes) - 1

    def add_bytes(self, values: npt.NDArray[np.uint8]) -> int:
        """Add an array of bytes and give its number."""
        content = np.ascontiguousarray(values).tobytes()
        self._arrays.append(content + b"\0" * (-len(content) % 4))
        self._shapes.append(["bytes", *values.shape])
        return len(self._shapes) - 1

    def content(self, head: dict[str, Any]) -> bytes:
        """Give the whole."""
        text = json.dumps({**head, "arrays": self._shapes}, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        return b"".join([struct.pack("<I", len(text)), text, *self._arrays])

    def response(self, head: dict[str, Any]) -> Response:
        """Give the whole as a response that is never cached."""
        return answer(self.content(head))


def answer(content: bytes) -> Response:
    """Give packed arrays as a response that is never cached."""
    return Response(content, mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})
