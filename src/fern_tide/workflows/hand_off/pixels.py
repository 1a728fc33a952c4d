"""Pictures of a video as PyAV has them: out of files, and out of plain pixels."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from av.video.reformatter import ColorRange, Colorspace, Interpolation

COLOURS: dict[str, dict[str, Any]] = {
    "yuv420p": {"dst_colorspace": Colorspace.ITU709, "dst_color_range": ColorRange.MPEG},
    "yuva420p": {"dst_colorspace": Colorspace.ITU709, "dst_color_range": ColorRange.MPEG},
}
"""How the pixel formats of videos count colours."""
_SHAPES: dict[str, Callable[[int, int], tuple[int, ...]]] = {
    "yuv420p": lambda width, height: (height * 3 // 2, width),
    "rgba": lambda width, height: (height, width, 4),
}
"""Of the pixels of a picture, as numpy has them."""


def stored_pixels(plain: bytes | memoryview, pixels: str, *, width: int, height: int) -> bytes | memoryview:
    """Give a picture's pixels as they are stored until they are encoded: `stored_picture` reads them.

    Args:
        plain: red, green, blue and share of cover of each pixel, a byte each, row after row.
        pixels: the format that is stored: 'rgba' as they are, or 'yuv420p'.
        width: of the picture.
        height: of the picture.
    """
    if pixels == "rgba":
        return plain
    frame = stored_picture(plain, "rgba", width=width, height=height).reformat(format=pixels, **COLOURS[pixels])
    return bytes(frame.to_ndarray().tobytes())


def stored_picture(content: bytes | memoryview, pixels: str, *, width: int, height: int) -> Any:
    """Read stored_pixels.

    Raises:
        ValueError: it is not as long as it has to be.
    """
    rows = np.frombuffer(content, dtype=np.uint8).reshape(*_SHAPES[pixels](width, height))
    frame: Any = av.VideoFrame.from_ndarray(rows, format=pixels)
    if pixels in COLOURS:
        frame.colorspace, frame.color_range = Colorspace.ITU709, ColorRange.MPEG
    return frame


def decoded(content: bytes) -> Any:
    """Give a JPEG or PNG as PyAV has pictures."""
    codec: Any = av.CodecContext.create("png" if content.startswith(b"\x89PNG") else "mjpeg", "r")
    return codec.decode(av.Packet(content))[0]


def small(picture: Any, size: tuple[int, int]) -> npt.NDArray[np.uint8]:
    """Give a decoded picture's pixels at a small size, shape (height, width, 3), every pixel of it counted."""
    frame = picture.reformat(*size, format="rgb24", interpolation=Interpolation.AREA)
    return np.asarray(frame.to_ndarray(), dtype=np.uint8)
