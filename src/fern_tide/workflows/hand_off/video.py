"""Pictures and sound as video: every frame at its own time, the sound as long as the pictures (PyAV)."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from itertools import chain, repeat
from math import inf
from pathlib import Path
from typing import Any, BinaryIO, TypeVar

import av
import numpy as np
import numpy.typing as npt
from av.video.frame import PictureType
from av.video.reformatter import ColorRange, Colorspace, Interpolation

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.workflows.hand_off.video_sound import Beside

Frame = TypeVar("Frame")
_COLOURS: dict[str, dict[str, Any]] = {
    "yuv420p": {"dst_colorspace": Colorspace.ITU709, "dst_color_range": ColorRange.MPEG},
    "yuva420p": {"dst_colorspace": Colorspace.ITU709, "dst_color_range": ColorRange.MPEG},
}
_WHEN = (2000, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class VideoKind:
    """A kind of proof.

    Attributes:
        id: in addresses and on the command line.
        label: what people read.
        help: one line on what it is for.
        extension: of its file, with the dot.
        media_type: for browsers.
        codec: of the pictures; '' where it is no video.
        sound: the codec of the sound; '' for none.
        pixels: the pixel format.
        options: of the codec.
        clear: whether it has transparency: its frames are drawn without the background, and without loss.
        container: PyAV's name of it.
        ticks: how many a second its times are counted in; 0 counts frames.
    """

    id: str
    label: str
    help: str
    extension: str
    media_type: str
    codec: str = ""
    sound: str = ""
    pixels: str = "yuv420p"
    options: tuple[tuple[str, str], ...] = ()
    clear: bool = False
    container: str = ""
    ticks: int = 0

    @property
    def in_parts(self) -> bool:
        """Whether it can be encoded in parts that are joined, as videos with sound can; an animation is one picture."""
        return bool(self.sound)


KINDS = {
    kind.id: kind
    for kind in (
        VideoKind(
            "mp4", "MP4", "H.264 with AAC sound: plays everywhere.", ".mp4", "video/mp4", "libx264", "aac",
            options=(("crf", "20"), ("preset", "superfast")), container="mp4",
        ),
        VideoKind(
            "webm", "WebM", "VP9 with Opus sound, for pages.", ".webm", "video/webm", "libvpx-vp9", "libopus",
            options=(("crf", "24"), ("b", "0"), ("deadline", "realtime"), ("cpu-used", "6"), ("row-mt", "1")),
            container="webm",
        ),
        VideoKind(
            "clear-webm", "WebM, see-through", "VP9 with transparency, for overlays in pages.", ".webm", "video/webm",
            "libvpx-vp9", "libopus", "yuva420p",
            (("crf", "20"), ("b", "0"), ("deadline", "realtime"), ("cpu-used", "6"), ("auto-alt-ref", "0")),
            True, "webm",
        ),
        VideoKind(
            "ffv1", "Matroska, see-through", "FFV1 without loss, with transparency, for editing.", ".mkv",
            "video/x-matroska", "ffv1", "flac", "bgra", (), True, "matroska",
        ),
        VideoKind(
            "png", "PNG sequence", "A picture a frame with transparency, as a zip.", ".zip", "application/zip",
            clear=True,
        ),
        VideoKind(
            "webp", "Animated WebP", "A short loop for messages and pages, without sound.", ".webp", "image/webp",
            "libwebp_anim", options=(("quality", "80"), ("compression_level", "2")), container="webp", ticks=1000,
        ),
    )
}  # fmt: skip


def paced(frames: Iterable[Frame], *, first: int, drawn: FrameRate, shown: FrameRate) -> Iterator[Frame]:
    """Give drawn frames at another rate: every moment shows the one that owns it, as often as that takes, or never.

    Args:
        frames: in their order.
        first: the number of the first one.
        drawn: their rate.
        shown: the rate that is wanted.
    """
    for frame, picture in enumerate(frames, start=first):
        yield from repeat(picture, drawn.frames_before(frame + 1, at=shown) - drawn.frames_before(frame, at=shown))


def archive(frames: Iterable[bytes], out: BinaryIO) -> None:
    """Write pictures as a zip, in their order, the same bytes every time."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as pictures:
        for place, content in enumerate(frames):
            pictures.writestr(zipfile.ZipInfo(f"frame-{place:06d}.png", _WHEN), content)


def encode(kind: VideoKind, frames: Iterable[Any], *, out: BinaryIO, fps: Fraction) -> int:
    """Write pictures one after the other as a video without sound; of none at all nothing is written.

    Args:
        kind: which.
        frames: as `decoded` gives them, all of one even size.
        out: opened for reading and writing.
        fps: how many a second.

    Returns:
        How many there were.
    """
    frames = iter(frames)
    begins = next(frames, None)
    if begins is None:
        return 0
    ticks, place = Fraction(kind.ticks) or fps, -1
    with av.open(
        out, "w", format=kind.container, options={"loop": "0"} if kind.container == "webp" else {}
    ) as container:
        video: Any = container.add_stream(kind.codec, rate=fps, options=dict(kind.options))
        video.pix_fmt, video.codec_context.time_base = kind.pixels, 1 / ticks
        video.width, video.height = begins.width, begins.height
        _say_colours(kind, video.codec_context)
        for place, picture in enumerate(chain([begins], frames)):
            frame = picture.reformat(
                format=kind.pixels, interpolation=Interpolation.BILINEAR, **_COLOURS.get(kind.pixels, {})
            )
            frame.pts, frame.time_base = round(place / fps * ticks), 1 / ticks
            frame.pict_type = PictureType.NONE  # a picture file says that it is a key frame
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
    return place + 1


def join(kind: VideoKind, parts: Iterable[Path], *, out: BinaryIO, fps: Fraction, sound: Path | None) -> None:
    """Put parts of a video one after the other, and the sound beside them, just as they are.

    Args:
        kind: which; one that has sound.
        parts: as `encode` writes them; empty files are passed over.
        out: opened for reading and writing.
        fps: how many frames a second.
        sound: as `encode_sound` writes it. None is silence, without a sound stream.
    """
    orders = {path: _order(path, fps) for path in parts if path.stat().st_size}
    late = max((at - place for order in orders.values() for at, place in enumerate(order)), default=0)
    with av.open(out, "w", format=kind.container) as container, ExitStack() as opened:
        video: Any = None
        beside: Beside | None = None
        start = 0
        for path, order in orders.items():
            with av.open(path) as part:
                source: Any = part.streams.video[0]
                if video is None:
                    video = container.add_stream_from_template(source)
                    video.metadata.update(source.metadata)
                    _say_colours(kind, video.codec_context)
                    beside = Beside(container, opened.enter_context(av.open(sound))) if sound else None
                for at, packet in enumerate(filter(_has_picture, part.demux(source))):
                    packet.stream, packet.time_base, packet.duration = video, 1 / fps, 1
                    packet.pts, packet.dts = start + order[at], start + at - late
                    container.mux(packet)
                    if beside:
                        beside.put(until_s=float((start + at) / fps))
            start += len(order)
        if beside:
            beside.put(until_s=inf)


def _has_picture(packet: Any) -> bool:
    return bool(packet.size)  # the one that ends a stream has none


def _order(path: Path, fps: Fraction) -> list[int]:
    """Give the places at which a part's pictures are shown, in the order in which they are decoded."""
    with av.open(path) as part:
        packets: Iterator[Any] = filter(_has_picture, part.demux(part.streams.video[0]))
        return [round(packet.pts * packet.time_base * fps) for packet in packets]


def _say_colours(kind: VideoKind, codec: Any) -> None:
    """Say how colours are written: BT.709, the range of television, as players guess for most sizes anyway."""
    if kind.pixels in _COLOURS:
        codec.color_range, codec.colorspace, codec.color_primaries, codec.color_trc = 1, 1, 1, 1


def decoded(content: bytes) -> Any:
    """Give a JPEG or PNG as PyAV has pictures."""
    codec: Any = av.CodecContext.create("png" if content.startswith(b"\x89PNG") else "mjpeg", "r")
    return codec.decode(av.Packet(content))[0]


def small(picture: Any, size: tuple[int, int]) -> npt.NDArray[np.uint8]:
    """Give a decoded picture's pixels at a small size, shape (height, width, 3), every pixel of it counted."""
    frame = picture.reformat(*size, format="rgb24", interpolation=Interpolation.AREA)
    return np.asarray(frame.to_ndarray(), dtype=np.uint8)
