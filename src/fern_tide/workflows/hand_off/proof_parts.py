"""The parts of a proof's video: each is encoded and measured as soon as its frames are drawn, which go then."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from threading import Lock
from typing import Any

import av
import numpy as np
import numpy.typing as npt

from fern_tide.core.base.errors import FernTideError
from fern_tide.workflows.hand_off.proof_order import ProofOrder
from fern_tide.workflows.hand_off.video import decoded, encode, paced, small
from fern_tide.workflows.studio import Studio

FRAMES = 64
"""So many frames are a part: at 30 a second two seconds, a key frame each, as players like for looking around."""
_WIDE, _TALL = 96, 72
"""The size that flashes are measured at."""
_SMALL = ".{:05d}.small"
_ENCODING = Lock()


def n_parts(order: ProofOrder) -> int:
    """Count the parts of a proof."""
    return -(-order.project.n_frames // FRAMES)


def part_files(studio: Studio, order: ProofOrder) -> list[Path]:
    """Give where the parts of a proof's video lie, in their order."""
    return [studio.derived.path(order.parts_key, suffix=_suffix(order, part)) for part in range(n_parts(order))]


def small_pictures(studio: Studio, order: ProofOrder, part: int) -> npt.NDArray[np.uint8]:
    """Give a part's pictures as they are measured, shape (frames, height, width, 3)."""
    content = studio.derived.path(order.frames_key, suffix=_SMALL.format(part)).read_bytes()
    return np.frombuffer(content, dtype=np.uint8).reshape(-1, _TALL, _WIDE, 3)


def encode_drawn(studio: Studio, order: ProofOrder, first: int, end: int) -> None:
    """Encode the parts that the frames from `first` to before `end` have completed.

    Raises:
        DiskFull: there is no room.
    """
    for part in range(first // FRAMES, -(-end // FRAMES)):
        if _is_whole(studio, order, part):
            with _ENCODING:  # two requests may bring the last frames of a part at once
                if _is_whole(studio, order, part):
                    encode_part(studio, order, part)


def encode_part(studio: Studio, order: ProofOrder, part: int, *, reached: Callable[[int], None] | None = None) -> None:
    """Encode a part, and make what is measured of it, unless that was done before.

    Args:
        studio: for its frames.
        order: what it is of.
        part: its number.
        reached: called with the number of each frame that is worked on.

    Raises:
        FernTideError: a frame is missing.
        DiskFull: there is no room.
    """
    encodes, measures = _to_encode(studio, order, part), _to_measure(studio, order, part)
    if not encodes and not measures:
        return
    smalls: list[npt.NDArray[np.uint8]] = []

    def pictures() -> Iterator[Any]:
        for frame in _frames(order, part):
            if reached:
                reached(frame)
            picture = frame_picture(studio, order, frame)
            if measures:
                smalls.append(small(picture, (_WIDE, _TALL)))
            yield picture

    if encodes:
        assert order.video is not None
        first, drawn = part * FRAMES, order.project.rate
        with studio.derived.writing(order.parts_key, suffix=_suffix(order, part)) as out:
            shown = paced(pictures(), first=first, drawn=drawn, shown=order.video_rate)
            encode(order.video, shown, out=out, fps=order.video_rate.fps)
    else:
        for _ in pictures():
            pass
    if measures:
        with studio.derived.writing(order.frames_key, suffix=_SMALL.format(part)) as out:
            out.write(np.stack(smalls).tobytes())
    if order.in_parts:
        _forget_frames(studio, order, _frames(order, part))


def _is_whole(studio: Studio, order: ProofOrder, part: int) -> bool:
    return all(has_frame(studio, order, frame) for frame in _frames(order, part))


def _to_encode(studio: Studio, order: ProofOrder, part: int) -> bool:
    is_video = order.video is not None and order.video.in_parts
    return is_video and not studio.derived.has(order.parts_key, suffix=_suffix(order, part))


def _to_measure(studio: Studio, order: ProofOrder, part: int) -> bool:
    return order.measures and not studio.derived.has(order.frames_key, suffix=_SMALL.format(part))


def is_drawn(studio: Studio, order: ProofOrder, frame: int) -> bool:
    """Say whether a frame is drawn: it is there, or in a part that is."""
    if has_frame(studio, order, frame):
        return True
    part = frame // FRAMES
    return order.in_parts and not _to_encode(studio, order, part) and not _to_measure(studio, order, part)


def has_frame(studio: Studio, order: ProofOrder, frame: int) -> bool:
    """Say whether a frame itself is there."""
    return studio.derived.has(order.frames_key, suffix=order.frame_suffix(frame))


def frame_content(studio: Studio, order: ProofOrder, frame: int) -> bytes:
    """Give a drawn frame's file.

    Raises:
        FernTideError: it is not there.
    """
    try:
        return studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).read_bytes()
    except FileNotFoundError as cause:
        raise FernTideError(f"Frame {frame} is not there any more.", remedy="Draw the proof again.") from cause


def frame_picture(studio: Studio, order: ProofOrder, frame: int) -> Any:
    """Give a drawn frame decoded; one that cannot be is removed, so that it is drawn again.

    Raises:
        FernTideError: it is not there, or cannot be decoded.
    """
    content = frame_content(studio, order, frame)
    try:
        return decoded(content)
    except (av.FFmpegError, IndexError) as cause:
        studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).unlink(missing_ok=True)
        raise FernTideError(f"Frame {frame} is no picture.", remedy="Draw the proof again.") from cause


def forget(studio: Studio, order: ProofOrder) -> None:
    """Remove the frames of a proof and all that was made of them on the way."""
    _forget_frames(studio, order, range(order.project.n_frames))
    for part in range(n_parts(order)):
        studio.derived.path(order.frames_key, suffix=_SMALL.format(part)).unlink(missing_ok=True)
    if order.video is not None:
        for path in part_files(studio, order):
            path.unlink(missing_ok=True)


def _forget_frames(studio: Studio, order: ProofOrder, frames: Iterable[int]) -> None:
    for frame in frames:
        studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).unlink(missing_ok=True)


def _frames(order: ProofOrder, part: int) -> range:
    return range(part * FRAMES, min((part + 1) * FRAMES, order.project.n_frames))


def _suffix(order: ProofOrder, part: int) -> str:
    assert order.video is not None
    return f".{part:05d}{order.video.extension}"
