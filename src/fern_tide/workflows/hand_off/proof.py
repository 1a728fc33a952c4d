"""Proofs: the stage drawn frame by frame in a browser, stored as it comes, and made into a video with its sound.

What was drawn stays until it is encoded, and that until the video is there, so that a browser which was closed goes on
where it was.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from typing import Any, BinaryIO

import numpy as np
from PIL import Image

from fern_tide.core.bake.flashing import Flashing, FlashMeter
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.signal import fingerprint
from fern_tide.store.job_rows import Job
from fern_tide.workflows.derive.analysis import Stretch
from fern_tide.workflows.hand_off import proof_parts
from fern_tide.workflows.hand_off.proof_order import ProofOrder
from fern_tide.workflows.hand_off.proof_sound import sound_file
from fern_tide.workflows.hand_off.video import archive, encode, join, paced
from fern_tide.workflows.studio import Studio

KIND = "proof"
MOST_FRAME_BYTES = 24 << 20


def n_drawn(studio: Studio, order: ProofOrder, *, known: int = 0) -> int:
    """Count the frames that are drawn from the first on without a gap; the first `known` ones are not looked for."""
    n_frames = order.project.n_frames
    return next((at for at in range(known, n_frames) if not proof_parts.is_drawn(studio, order, at)), n_frames)


def take_frame(studio: Studio, order: ProofOrder, frame: int, content: bytes) -> None:
    """Store a drawn frame.

    Raises:
        FernTideError: it is no picture of the proof's size and kind, or no frame of the project.
        DiskFull: there is no room.
    """
    if not 0 <= frame < order.project.n_frames:
        raise InvalidParameter("frame", value=frame, allowed=f"0 to {order.project.n_frames - 1}")
    try:
        with Image.open(io.BytesIO(content)) as picture:
            is_it = picture.size == (order.width, order.height) and picture.format == ("PNG" if order.clear else "JPEG")
    except (OSError, ValueError, Image.DecompressionBombError) as cause:
        raise FernTideError(f"Frame {frame} is no picture.", remedy="Draw the proof again.") from cause
    if not is_it or len(content) > MOST_FRAME_BYTES:
        raise FernTideError(f"Frame {frame} is another picture than was asked for.", remedy="Draw the proof again.")
    with studio.derived.writing(order.frames_key, suffix=order.frame_suffix(frame)) as out:
        out.write(content)


def begin(studio: Studio, order: ProofOrder) -> Job:
    """Queue what becomes of the frames, once all are there.

    Raises:
        FernTideError: some are missing.
    """
    drawn, n_frames = n_drawn(studio, order), order.project.n_frames
    if drawn < n_frames:
        raise FernTideError(f"{n_frames - drawn} frames are not drawn yet.", remedy="Draw on from where it was.")
    name = order.video.label if order.video else "flashing"
    job, is_new = studio.jobs.start(KIND, key=order.key, payload={"name": name, "order": order.model_dump(mode="json")})
    if is_new:
        studio.enqueue(job)
    return studio.jobs.get(job.id) or job


def run(studio: Studio, job: Job, *, report: Callable[[float, str], bool], stretch: Callable[[], Stretch]) -> None:
    """Measure the flashes of a proof's frames, make its video, and forget the frames.

    Args:
        studio: for the frames and the sound.
        job: its payload as made by begin.
        report: called with the share done and words.
        stretch: a block of computation that may be stopped anywhere.

    Raises:
        Cancelled: it was cancelled; the frames stay.
        FernTideError: a frame is missing.
    """
    order = ProofOrder.model_validate(job.payload["order"])
    n_frames, video = order.project.n_frames, order.video
    report(0.0, "Making the proof")
    sound = sound_file(studio, order)
    with stretch() as reached:

        def at(frame: int) -> None:
            reached(frame / n_frames, f"Frame {frame} of {n_frames}")

        for part in range(proof_parts.n_parts(order)):
            proof_parts.encode_part(studio, order, part, reached=at)
        if video is not None:
            with studio.derived.writing(order.key, suffix=video.extension) as out:
                if video.in_parts:
                    parts = proof_parts.part_files(studio, order)
                    join(video, parts, out=out, fps=order.video_rate.fps, sound=sound)
                else:
                    _write_whole(studio, order, out=out, reached=at)
        if order.measures:
            meter = FlashMeter(order.project.rate.per_second)
            for part in range(proof_parts.n_parts(order)):
                for picture in proof_parts.small_pictures(studio, order, part):
                    meter.take(picture)
            flashing = meter.flashing()
            studio.derived.put(_flashing_key(order.pictures), np.stack([flashing.general, flashing.red]))
    proof_parts.forget(studio, order)


def _write_whole(studio: Studio, order: ProofOrder, *, out: BinaryIO, reached: Callable[[int], None]) -> None:
    """Write a kind that has no parts: a zip of the frames as they are, or an animation."""
    assert order.video is not None
    read = proof_parts.frame_picture if order.video.container else proof_parts.frame_content

    def frames() -> Iterator[Any]:
        for frame in range(order.project.n_frames):
            reached(frame)
            yield read(studio, order, frame)

    shown = paced(frames(), first=0, drawn=order.project.rate, shown=order.video_rate)
    if order.video.container:
        encode(order.video, shown, out=out, fps=order.video_rate.fps)
    else:
        archive(shown, out)


def _flashing_key(pictures: str) -> str:
    return fingerprint({"stage": "flashing", "version": 1, "pictures": pictures})


def flashing_of(studio: Studio, pictures: str, *, fps: float) -> Flashing | None:
    """Give what was measured on the pictures of a fingerprint; None where that was not done."""
    values = studio.derived.get(_flashing_key(pictures))
    if values is None:
        return None
    general, red = np.asarray(values, dtype=np.float64)
    return Flashing(general, red, fps)
