"""Pictures and sound as video: every frame at its own time, the sound as long as the pictures (PyAV)."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import repeat
from pathlib import Path
from typing import Any, BinaryIO

import av
import numpy as np
import numpy.typing as npt
from av.video.reformatter import ColorRange, Colorspace, Interpolation

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.mix import MixTrack, mix_blocks

SOUND_HZ = 48_000
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


KINDS = {
    kind.id: kind
    for kind in (
        VideoKind(
            "mp4", "MP4", "H.264 with AAC sound: plays everywhere.", ".mp4", "video/mp4", "libx264", "aac",
            options=(("crf", "19"), ("preset", "veryfast")), container="mp4",
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


def encode(
    kind: VideoKind, frames: Iterator[bytes], *, out: BinaryIO, n_frames: int, fps: Fraction, sound: Path | None
) -> None:
    """Write frames as a video, in their order.

    Args:
        kind: which.
        frames: each as JPEG or PNG, all of one even size.
        out: opened for reading and writing.
        n_frames: how many there are.
        fps: how many a second.
        sound: a stereo file as long as the video or longer; None is silence, without a sound stream.
    """
    if kind.id == "png":
        _zip(frames, out)
    else:
        _video(kind, frames, out=out, n_frames=n_frames, fps=fps, sound=sound)


def paced(frames: Iterator[bytes], *, drawn: FrameRate, shown: FrameRate) -> Iterator[bytes]:
    """Give drawn frames at another rate: every moment shows the one that owns it, as often as that takes, or never."""
    for frame, content in enumerate(frames):
        times = drawn.frames_before(frame + 1, at=shown) - drawn.frames_before(frame, at=shown)
        yield from repeat(content, times)


def _zip(frames: Iterator[bytes], out: BinaryIO) -> None:
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for place, content in enumerate(frames):
            archive.writestr(zipfile.ZipInfo(f"frame-{place:06d}.png", _WHEN), content)


def _video(
    kind: VideoKind, frames: Iterator[bytes], *, out: BinaryIO, n_frames: int, fps: Fraction, sound: Path | None
) -> None:
    blocks = None if sound is None or not kind.sound else _sound(sound, round(n_frames / fps * SOUND_HZ))
    ticks = Fraction(kind.ticks) or fps
    endless = {"loop": "0"} if kind.container == "webp" else {}
    with av.open(out, "w", format=kind.container, options=endless) as container:
        video: Any = container.add_stream(kind.codec, rate=fps, options=dict(kind.options))
        video.pix_fmt, video.codec_context.time_base = kind.pixels, 1 / ticks
        if kind.pixels in _COLOURS:
            _say_colours(video.codec_context)
        audio: Any = None
        if blocks is not None:
            audio = container.add_stream(kind.sound, rate=SOUND_HZ)
            audio.codec_context.layout = "stereo"
        sent_s = 0.0
        for place, content in enumerate(frames):
            frame = decoded(content).reformat(format=kind.pixels, **_COLOURS.get(kind.pixels, {}))
            if place == 0:
                video.width, video.height = frame.width, frame.height
            frame.pts, frame.time_base = round(place / fps * ticks), 1 / ticks
            container.mux(video.encode(frame))
            while blocks is not None and sent_s <= place / fps:
                sent_s = _send(container, audio, blocks, sent_s)
                if sent_s < 0:
                    blocks = None
        while blocks is not None:
            sent_s = _send(container, audio, blocks, sent_s)
            blocks = blocks if sent_s >= 0 else None
        container.mux(video.encode(None))
        if audio is not None:
            container.mux(audio.encode(None))


def _say_colours(codec: Any) -> None:
    """Say how colours are written: BT.709, the range of television, as players guess for most sizes anyway."""
    codec.color_range, codec.colorspace, codec.color_primaries, codec.color_trc = 1, 1, 1, 1


def _send(container: Any, audio: Any, blocks: Iterator[tuple[int, Float32Array]], sent_s: float) -> float:
    """Write the next block of sound; gives the time that it ends at, -1 after the last."""
    block = next(blocks, None)
    if block is None:
        return -1.0
    start, samples = block
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout="stereo")
    frame.sample_rate, frame.pts, frame.time_base = SOUND_HZ, start, Fraction(1, SOUND_HZ)
    for fitting in _fitting(audio, frame):
        container.mux(audio.encode(fitting))
    return float(start + samples.shape[1]) / SOUND_HZ


def _fitting(audio: Any, frame: Any) -> Sequence[Any]:
    """Give a frame of sound as the codec takes it."""
    wanted = audio.codec_context.format.name
    if wanted == "fltp":
        return [frame]
    return list(av.AudioResampler(format=wanted, layout="stereo", rate=SOUND_HZ).resample(frame))


def _sound(path: Path, n_samples: int) -> Iterator[tuple[int, Float32Array]]:
    """Give exactly so many samples at SOUND_HZ, shape (2, samples), and where each block begins; silence at the end."""
    start = 0
    with path.open("rb") as stream:
        info = measure(stream)
        stream.seek(0)
        for block in mix_blocks([MixTrack(stream, info)], rate_hz=SOUND_HZ, n_samples=n_samples):
            yield start, block
            start += block.shape[1]


def decoded(content: bytes) -> Any:
    """Give a JPEG or PNG as PyAV has pictures."""
    codec: Any = av.CodecContext.create("png" if content.startswith(b"\x89PNG") else "mjpeg", "r")
    return codec.decode(av.Packet(content))[0]


def small(content: bytes, size: tuple[int, int]) -> npt.NDArray[np.uint8]:
    """Give a picture's pixels at a small size, shape (height, width, 3), every pixel of it counted."""
    frame = decoded(content).reformat(*size, format="rgb24", interpolation=Interpolation.AREA)
    return np.asarray(frame.to_ndarray(), dtype=np.uint8)
