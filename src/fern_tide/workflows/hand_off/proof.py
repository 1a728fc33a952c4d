"""Proofs: the stage drawn frame by frame in a browser, stored as it comes, and made into a video with its sound.

What was drawn stays until the video is there, so that a browser which was closed goes on where it was.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator

import numpy as np
from PIL import Image
from pydantic import BaseModel, ConfigDict

from fern_tide import __version__
from fern_tide.core.bake.flashing import Flashing, FlashMeter
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate, RateField
from fern_tide.core.base.signal import fingerprint
from fern_tide.core.document import Project
from fern_tide.store.job_rows import Job
from fern_tide.workflows.derive.analysis import Stretch
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.hand_off.video import KINDS, VideoKind, encode, paced, small
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune.listening import heard_file

KIND = "proof"
FLASHING = "flashing"
"""The kind of a proof that is only measured, on small pictures."""
MEASURED = (192, 108)
LEAST, MOST = 16, 4096
MOST_FRAME_BYTES = 24 << 20
_SMALL = (96, 72)


class ProofOrder(BaseModel):
    """What is drawn and what becomes of it.

    Attributes:
        project: the document.
        pictures: the fingerprint of all that its pictures depend on, but for their size.
        kind: of the video, or FLASHING.
        width: in pixels, even; height is too.
        strip: whether timecode, name and levels are burnt in.
        rate: of the video; None is the project's. Every frame of the project is drawn whatever it is.
    """

    model_config = ConfigDict(frozen=True)

    project: Project
    pictures: str
    kind: str
    width: int
    height: int
    strip: bool = False
    rate: RateField | None = None

    @property
    def video_rate(self) -> FrameRate:
        """How many frames the video has a second."""
        return self.rate or self.project.rate

    @property
    def n_video_frames(self) -> int:
        """How many frames the video has."""
        return self.project.rate.frames_before(self.project.n_frames, at=self.video_rate)

    @property
    def video(self) -> VideoKind | None:
        """The kind of video; None where it is only measured."""
        return KINDS.get(self.kind)

    @property
    def clear(self) -> bool:
        """Whether it is drawn without its background."""
        return self.video is not None and self.video.clear

    @property
    def ahead(self) -> int:
        """By how many frames its pictures are earlier than the sound, to make up for a screen's delay."""
        return 0 if self.video is None else round(self.project.picture_delay.earlier(self.project.rate))

    @property
    def frames_key(self) -> str:
        """What its frames are stored under: another kind of video of the same pictures has them too."""
        about = {"proof": self.pictures, "size": [self.width, self.height], "strip": self.strip, "clear": self.clear}
        return fingerprint(about | ({"ahead": self.ahead} if self.ahead else {}))

    @property
    def key(self) -> str:
        """What the video is stored under."""
        sound = [track.model_dump(mode="json") for track in self.project.heard]
        about = {"frames": self.frames_key, "kind": self.kind, "sound": sound}
        other = self.video_rate != self.project.rate
        return fingerprint(about | ({"rate": str(self.video_rate)} if other else {}))

    def frame_suffix(self, frame: int) -> str:
        """Give the ending of a frame's file."""
        return f".{frame:07d}.{'png' if self.clear else 'jpg'}"


def pictures_key(levels: Levels, project: Project, staged: Staged) -> str:
    """Give the fingerprint of what the pictures of a project depend on.

    Raises:
        NotReadYet: a sound is still being read.
    """
    curves = {str(target): node.fingerprint for target, node in levels.graph(project).curves.items()}
    lifts = [levels.graph(project).lift(mapping).fingerprint for mapping in project.mappings if not mapping.muted]
    look = [staged.looks, staged.pieces_look, str(project.rate), project.n_frames, project.scene.studio_light]
    return fingerprint(
        {
            "stage": "pictures",
            "drawn_by": __version__,
            "curves": curves,
            "lifts": lifts,
            "look": [str(item) for item in look],
        }
    )


def check_size(width: int, height: int) -> None:
    """Refuse a size that no video has.

    Raises:
        InvalidParameter: it is odd, or too small or large.
    """
    for name, value in (("width", width), ("height", height)):
        if not LEAST <= value <= MOST or value % 2:
            raise InvalidParameter(name, value=value, allowed=f"an even number from {LEAST} to {MOST}")


def n_drawn(studio: Studio, order: ProofOrder, *, known: int = 0) -> int:
    """Count the frames that are there from the first on without a gap; the first `known` ones are not looked for."""
    n_frames = order.project.n_frames
    return next((at for at in range(known, n_frames) if not _has(studio, order, at)), n_frames)


def _has(studio: Studio, order: ProofOrder, frame: int) -> bool:
    return studio.derived.has(order.frames_key, suffix=order.frame_suffix(frame))


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
    project, n_frames = order.project, order.project.n_frames
    report(0.0, "Making the proof")
    sound = heard_file(studio, project)
    meter, measures = FlashMeter(project.rate.per_second), not order.clear and not order.strip
    with stretch() as reached:

        def frames() -> Iterator[bytes]:
            for frame in range(n_frames):
                content = _frame(studio, order, frame)
                if measures:
                    meter.take(small(content, _SMALL))
                reached(frame / n_frames, f"Frame {frame} of {n_frames}")
                yield content

        if order.video is None:
            for _ in frames():
                pass
        else:
            with studio.derived.writing(order.key, suffix=order.video.extension) as out:
                shown = paced(frames(), drawn=project.rate, shown=order.video_rate)
                fps, n_shown = order.video_rate.fps, order.n_video_frames
                encode(order.video, shown, out=out, n_frames=n_shown, fps=fps, sound=sound)
    if measures:
        flashing = meter.flashing()
        studio.derived.put(_flashing_key(order.pictures), np.stack([flashing.general, flashing.red]))
    for frame in range(n_frames):
        studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).unlink(missing_ok=True)


def _frame(studio: Studio, order: ProofOrder, frame: int) -> bytes:
    try:
        return studio.derived.path(order.frames_key, suffix=order.frame_suffix(frame)).read_bytes()
    except FileNotFoundError as cause:
        raise FernTideError(f"Frame {frame} is not there any more.", remedy="Draw the proof again.") from cause


def _flashing_key(pictures: str) -> str:
    return fingerprint({"stage": "flashing", "version": 1, "pictures": pictures})


def flashing_of(studio: Studio, pictures: str, *, fps: float) -> Flashing | None:
    """Give what was measured on the pictures of a fingerprint; None where that was not done."""
    values = studio.derived.get(_flashing_key(pictures))
    if values is None:
        return None
    general, red = np.asarray(values, dtype=np.float64)
    return Flashing(general, red, fps)
