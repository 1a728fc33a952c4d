"""What is asked for of a proof, and what it is stored under."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from fern_tide import __version__
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate, RateField
from fern_tide.core.base.signal import fingerprint
from fern_tide.core.document import Project
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.hand_off.video import KINDS, VideoKind

FLASHING = "flashing"
"""The kind of a proof that is only measured, on small pictures."""
MEASURED = (192, 108)
LEAST, MOST = 16, 4096


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
    def in_parts(self) -> bool:
        """Whether nothing is needed of its frames but the parts that they are in."""
        return self.video is None or self.video.in_parts

    @property
    def frames_key(self) -> str:
        """What its frames are stored under: a video's own, since they go as soon as they are encoded in it."""
        about = {"proof": self.pictures, "size": [self.width, self.height], "strip": self.strip, "clear": self.clear}
        if self.in_parts:
            about |= {"kind": self.kind, "rate": str(self.video_rate)}
        return fingerprint(about | ({"ahead": self.ahead} if self.ahead else {}))

    @property
    def key(self) -> str:
        """What the video is stored under."""
        sound = [track.model_dump(mode="json") for track in self.project.heard]
        about = {"frames": self.frames_key, "kind": self.kind, "sound": sound}
        other = self.video_rate != self.project.rate
        return fingerprint(about | ({"rate": str(self.video_rate)} if other else {}))

    @property
    def parts_key(self) -> str:
        """What the parts of its video are stored under: they have no sound yet."""
        return fingerprint({"parts of": self.frames_key})

    @property
    def measures(self) -> bool:
        """Whether flashes are measured on its pictures: those that show all of the scene and nothing else."""
        return not self.clear and not self.strip

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
