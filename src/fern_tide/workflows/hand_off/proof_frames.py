"""The drawn frames of a proof: each is stored as it comes, until it is encoded."""

from __future__ import annotations

import io
from typing import Any

import av
from PIL import Image

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.workflows.hand_off.pixels import decoded, stored_picture, stored_pixels
from fern_tide.workflows.hand_off.proof_order import ProofOrder
from fern_tide.workflows.studio import Studio

MOST_FILE_BYTES = 24 << 20
_FILES = {"jpg": "JPEG", "png": "PNG"}


def has(studio: Studio, order: ProofOrder, frame: int) -> bool:
    """Say whether a frame is stored."""
    return studio.derived.has(order.frames_key, suffix=order.frame_suffix(frame))


def take(studio: Studio, order: ProofOrder, frame: int, content: bytes | memoryview) -> None:
    """Store a drawn frame.

    Args:
        studio: where.
        order: what it is of.
        frame: its number.
        content: its pixels, or a file, as the order says.

    Raises:
        FernTideError: it is no picture of the proof's size and kind, or no frame of the project.
        DiskFull: there is no room.
    """
    if not 0 <= frame < order.project.n_frames:
        raise InvalidParameter("frame", value=frame, allowed=f"0 to {order.project.n_frames - 1}")
    if order.is_plain:
        if memoryview(content).nbytes != order.frame_bytes:
            raise _another(frame)
        content = stored_pixels(content, order.frame_format, width=order.width, height=order.height)
    else:
        _check_file(order, frame, bytes(content))
    with studio.derived.writing(order.frames_key, suffix=order.frame_suffix(frame)) as out:
        out.write(content)


def _check_file(order: ProofOrder, frame: int, content: bytes) -> None:
    try:
        with Image.open(io.BytesIO(content)) as picture:
            size, kind = picture.size, picture.format
    except (OSError, ValueError, Image.DecompressionBombError) as cause:
        raise FernTideError(f"Frame {frame} is no picture.", remedy="Draw the proof again.") from cause
    if size != (order.width, order.height) or kind != _FILES[order.frame_format] or len(content) > MOST_FILE_BYTES:
        raise _another(frame)


def _another(frame: int) -> FernTideError:
    return FernTideError(f"Frame {frame} is another picture than was asked for.", remedy="Draw the proof again.")


def content_of(studio: Studio, order: ProofOrder, frame: int) -> bytes:
    """Give what is stored of a frame.

    Raises:
        FernTideError: it is not there.
    """
    try:
        return studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).read_bytes()
    except FileNotFoundError as cause:
        raise FernTideError(f"Frame {frame} is not there any more.", remedy="Draw the proof again.") from cause


def picture_of(studio: Studio, order: ProofOrder, frame: int) -> Any:
    """Give a stored frame as PyAV has pictures; one that cannot be read is removed, so that it is drawn again.

    Raises:
        FernTideError: it is not there, or cannot be read.
    """
    content = content_of(studio, order, frame)
    try:
        if order.is_plain:
            return stored_picture(content, order.frame_format, width=order.width, height=order.height)
        return decoded(content)
    except (av.FFmpegError, IndexError, ValueError) as cause:
        forget(studio, order, frame)
        raise FernTideError(f"Frame {frame} is no picture.", remedy="Draw the proof again.") from cause


def forget(studio: Studio, order: ProofOrder, frame: int) -> None:
    """Remove a frame, if it is there."""
    studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).unlink(missing_ok=True)
