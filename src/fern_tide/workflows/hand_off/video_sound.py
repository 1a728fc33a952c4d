"""The sound of videos: encoded by itself, and put beside pictures packet by packet, just as it is (PyAV)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, BinaryIO

import av
import numpy as np

from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.mix import MixTrack, mix_blocks

SOUND_HZ = 48_000


def encode_sound(path: Path, *, codec: str, container: str, out: BinaryIO, n_samples: int) -> None:
    """Write a sound as a video has it, without pictures.

    Args:
        path: a stereo file.
        codec: PyAV's name of it.
        container: PyAV's name of the one that the video has.
        out: opened for reading and writing.
        n_samples: how long it is at SOUND_HZ: silence follows, or it is cut.
    """
    with av.open(out, "w", format=container) as file:
        stream: Any = file.add_stream(codec, rate=SOUND_HZ)
        stream.codec_context.layout = "stereo"
        for start, samples in _blocks(path, n_samples):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = SOUND_HZ, start, Fraction(1, SOUND_HZ)
            for fitting in _fitting(stream, frame):
                file.mux(stream.encode(fitting))
        file.mux(stream.encode(None))


class Beside:
    """An encoded sound that is put into a video beside its pictures."""

    def __init__(self, video: Any, sound: Any) -> None:
        """Open what is put beside.

        Args:
            video: the container that is written.
            sound: the opened container of what encode_sound wrote.
        """
        self._video, source = video, sound.streams.audio[0]
        self._stream = video.add_stream_from_template(source)
        self._packets: Iterator[Any] = (packet for packet in sound.demux(source) if packet.size)
        self._next = next(self._packets, None)

    def put(self, *, until_s: float) -> None:
        """Write what begins before a time."""
        while self._next is not None and self._next.pts * self._next.time_base <= until_s:
            packet, self._next = self._next, next(self._packets, None)
            packet.stream = self._stream
            self._video.mux(packet)


def _fitting(audio: Any, frame: Any) -> Sequence[Any]:
    """Give a frame of sound as the codec takes it."""
    wanted = audio.codec_context.format.name
    if wanted == "fltp":
        return [frame]
    return list(av.AudioResampler(format=wanted, layout="stereo", rate=SOUND_HZ).resample(frame))


def _blocks(path: Path, n_samples: int) -> Iterator[tuple[int, Float32Array]]:
    """Give exactly so many samples at SOUND_HZ, shape (2, samples), and where each block begins; silence at the end."""
    start = 0
    with path.open("rb") as stream:
        info = measure(stream)
        stream.seek(0)
        for block in mix_blocks([MixTrack(stream, info)], rate_hz=SOUND_HZ, n_samples=n_samples):
            yield start, block
            start += block.shape[1]
