"""The sound of containers that the sound library does not read: M4A and AAC, WMA, and video.

Which demuxer reads a file is decided here, by its first bytes and from a short list, so that no playlist or other
format that names further files is ever opened. The first sound stream is taken.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any, BinaryIO

import numpy as np

from fern_tide.core.base.errors import UnreadableSound
from fern_tide.core.base.signal import Float32Array

_LATEST_START_S = 3600


def demuxer_of(stream: BinaryIO) -> str | None:
    """Give the demuxer for a stream by its first bytes, or None when it is none of the known containers."""
    stream.seek(0)
    head = stream.read(16)
    stream.seek(0)
    if head[4:8] in {b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"}:
        return "mov"
    if head[:4] == b"\x1aE\xdf\xa3":
        return "matroska"
    if head[:4] == b"0&\xb2u":
        return "asf"
    if len(head) > 1 and head[0] == 0xFF and head[1] & 0xF6 == 0xF0:
        return "aac"
    return None


class Container:
    """An opened container: what its first sound stream holds, and that stream decoded in order.

    Raises:
        UnreadableSound: it cannot be opened, or has no sound.
    """

    def __init__(self, stream: BinaryIO, *, demuxer: str) -> None:
        import av  # slow to import, and seldom needed

        self._av: Any = av
        try:
            self._container: Any = av.open(stream, format=demuxer, metadata_errors="replace")
        except (av.FFmpegError, ValueError) as cause:
            raise _damaged() from cause
        if not self._container.streams.audio:
            self.close()
            raise UnreadableSound("The file has no sound in it.", remedy="Choose one that does.")
        self._stream = self._container.streams.audio[0]
        n_streams = len(self._container.streams.audio)
        self.note = f"The file has {n_streams} sound streams; the first is read." if n_streams > 1 else ""
        context = self._stream.codec_context
        self.format = str(self._container.format.name.split(",")[0]).upper()
        self.encoding = str(context.name).upper()
        self.channels, self.sample_rate_hz = int(context.channels), int(context.sample_rate)
        length = self._stream.duration
        claimed_s = float(length * self._stream.time_base) if length and self._stream.time_base else 0.0
        self.claimed_samples = max(0, round(claimed_s * self.sample_rate_hz))

    def blocks(self) -> Iterator[Float32Array]:
        """Decode the stream, with silence before it where it begins later than the container.

        Yields:
            Arrays of shape (channels, samples), 1.0 being full scale.
        """
        av = self._av
        resampler = av.AudioResampler(format="fltp", layout=self._stream.layout, rate=self.sample_rate_hz)
        first = True
        try:
            for frame in self._container.decode(self._stream):
                if first:
                    yield from self._silence_before(frame)
                    first = False
                for piece in resampler.resample(frame):
                    yield np.ascontiguousarray(piece.to_ndarray(), dtype=np.float32)
            for piece in resampler.resample(None):
                yield np.ascontiguousarray(piece.to_ndarray(), dtype=np.float32)
        except (av.FFmpegError, ValueError) as cause:
            raise _damaged() from cause

    def _silence_before(self, frame: Any) -> Iterator[Float32Array]:
        if frame.pts is None or frame.time_base is None:
            return
        begins = frame.pts * Fraction(frame.time_base) - Fraction(self._container.start_time or 0, 1_000_000)
        late = round(min(begins, _LATEST_START_S) * self.sample_rate_hz)
        if late > 0:
            yield np.zeros((self.channels, late), dtype=np.float32)

    def close(self) -> None:
        """Let go of it."""
        self._container.close()


def _damaged() -> UnreadableSound:
    return UnreadableSound(
        "The sound in the file cannot be decoded.", remedy="It is cut off or damaged: export or download it again."
    )
