"""The sound of files that the sound library does not read: MP3, Ogg, M4A and AAC, AC-3, WMA, and video.

The first sound stream is taken. What it holds is what decodes; what its container claims is only said.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from math import ceil
from typing import Any, BinaryIO

import numpy as np

from fern_tide.core.base.errors import UnreadableSound
from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.priming import FirstMoment, RunUp, run_up

_LATEST_START_S = 3600
_ROUNDING_SAMPLES = 1e-3  # of a clock in seconds: no sample is missing for it
_GAP_S = 0.05  # between frames: less is how a container rounds
_BLOCK_SAMPLES = 262_144  # long blocks: what is read of each has its own cost
_GUESSED = {"aac", "ac3", "eac3", "dts", "mpeg", "mpegts"}  # the demuxer guesses how long these are
_MP3_COUNTS = (b"Xing", b"Info", b"VBRI")  # headers that count the frames of an MP3
_OWN_CLOCK = {"mpegts", "mpeg"}  # a broadcast's clock begins anywhere
_EVIDENCE_BYTES = 262_144  # at the file's two ends, where an encoder may have left its name
_JITTER_S = Fraction(1, 2000)
_MOST_BAD = 0.1  # of all packets
_LATE_CODECS = {"wmav1", "wmav2"}  # their decoder gives nothing for the first block
_CODINGS = {"mp3float": "MPEG_LAYER_III", "mp3": "MPEG_LAYER_III", "mp2": "MPEG_LAYER_II", "mp1": "MPEG_LAYER_I"}
_CODINGS |= {"mp2float": "MPEG_LAYER_II", "mp1float": "MPEG_LAYER_I"}


class Container:
    """An opened container: what its first sound stream holds, and that stream decoded in order, once.

    Raises:
        UnreadableSound: it cannot be opened, or has no sound.
    """

    exact = False
    """Whether the claimed length is to the sample: a container's own is only ever said."""

    def __init__(self, stream: BinaryIO, *, demuxer: str) -> None:
        import av  # slow to import, and seldom needed

        self._av: Any = av
        self._evidence = _ends(stream)
        self._says_its_length = demuxer not in _GUESSED and (
            demuxer != "mp3" or any(mark in self._evidence for mark in _MP3_COUNTS)
        )
        self._own_clock = demuxer in _OWN_CLOCK
        try:
            self._container: Any = av.open(stream, format=demuxer, metadata_errors="replace")
        except (av.FFmpegError, ValueError) as cause:
            raise _damaged() from cause
        if not self._container.streams.audio:
            self.close()
            raise UnreadableSound("The file has no sound in it.", remedy="Choose one that does.")
        self._stream = self._container.streams.audio[0]
        self._notes: list[str] = []
        if (n_streams := len(self._container.streams.audio)) > 1:
            self._notes.append(f"The file has {n_streams} sound streams; the first is read.")
        context = self._stream.codec_context
        if context is None or not context.sample_rate or not context.channels:
            self.close()
            raise _damaged()
        self._codec = str(context.name)
        self.format = str(self._container.format.name.split(",")[0]).upper()
        self.encoding = _CODINGS.get(self._codec, self._codec.upper())
        self.channels, self.sample_rate_hz = int(context.channels), int(context.sample_rate)
        names = tuple(channel.name for channel in self._stream.layout.channels)
        self.layout = names if len(names) == self.channels else ()
        length = self._stream.duration if self._says_its_length else None
        claimed_s = float(length * self._stream.time_base) if length and self._stream.time_base else 0.0
        self.claimed_samples = max(0, round(claimed_s * self.sample_rate_hz))
        self._n_packets = self._n_bad = 0
        self._first_packet_s: Fraction | None = None

    @property
    def note(self) -> str:
        """What is to be said of the sound; whole once it is decoded."""
        return " ".join(self._notes)

    def blocks(self) -> Iterator[Float32Array]:
        """Decode the stream, with silence where the file's timeline has none of it.

        Yields:
            Arrays of shape (channels, samples), 1.0 being full scale.
        """
        place: _Place | None = None
        queue = _Queue(self._av, layout=self._stream.layout, sample_rate_hz=self.sample_rate_hz)
        try:
            for frame in self._frames():
                silent = 0
                if place is None:
                    place, silent, queue.drop = self._begin(frame)
                else:
                    silent = place.gap_before(frame)
                if silent or not queue.fits(frame):
                    yield from queue.rest()
                yield from self._silence(silent)
                place.samples += frame.samples
                yield from queue.add(frame)
            yield from queue.rest()
        except (self._av.FFmpegError, ValueError) as cause:
            raise _damaged() from cause
        self._judge()

    def _frames(self) -> Iterator[Any]:
        """Decode packet by packet; one that cannot be decoded leaves a gap."""
        for packet in self._container.demux(self._stream):
            if not self._n_packets and packet.size:
                self._evidence += bytes(packet)
                self._first_packet_s = _seconds(packet)
            self._n_packets += 1
            try:
                yield from packet.decode()
            except self._av.FFmpegError:
                self._n_bad += 1

    def _begin(self, frame: Any) -> tuple[_Place, int, int]:
        """Say where the first frame stands, the silence before it, and how much of it is the encoder's run-up."""
        at_s = _seconds(frame) or Fraction(0)
        zero = Fraction(self._container.start_time or 0, 1_000_000) if self._own_clock else Fraction(0)
        if at_s - zero > _LATEST_START_S:
            zero = self._first_packet_s or at_s
        frame_s, packet_s = at_s - zero, (at_s if self._first_packet_s is None else self._first_packet_s) - zero
        tags = " ".join([*self._stream.metadata.values(), *self._container.metadata.values()]).encode()
        has_clock = frame_s > packet_s + _JITTER_S or packet_s < -_JITTER_S
        still = RunUp(0, True) if has_clock else run_up(self._codec, self._evidence + tags, frame_samples=frame.samples)
        lost = frame.samples if self._codec in _LATE_CODECS else 0
        begins_s = FirstMoment(packet_s, frame_s, still, lost, self.sample_rate_hz).begins_s
        if begins_s - Fraction(lost, self.sample_rate_hz) > 2 * _JITTER_S:
            self._notes.append(f"The sound begins {float(begins_s):.3f} s into the file, silence before it.")
        if not still.known:
            ms = 1000 * still.samples / self.sample_rate_hz
            self._notes.append(
                f"Its encoder is not known: only the least run-up, {ms:.0f} ms, is taken off, so the sound may come "
                "up to 25 ms late."
            )
        return (
            _Place(float(at_s), float(frame.time_base or 0), self.sample_rate_hz),
            round(begins_s * self.sample_rate_hz),
            still.samples,
        )

    def _silence(self, samples: int) -> Iterator[Float32Array]:
        for start in range(0, samples, _BLOCK_SAMPLES):
            yield np.zeros((self.channels, min(_BLOCK_SAMPLES, samples - start)), dtype=np.float32)

    def _judge(self) -> None:
        """Refuse what hardly decodes, and say what did not."""
        if self._n_packets and self._n_bad > _MOST_BAD * self._n_packets:
            raise _damaged()
        if self._n_bad:
            stretches = "1 stretch" if self._n_bad == 1 else f"{self._n_bad} stretches"
            self._notes.append(f"{stretches} of it cannot be decoded and left silent: the file is damaged.")

    def close(self) -> None:
        """Let go of it."""
        self._container.close()


class _Queue:
    """Decoded frames put together into long blocks of floats, in the channels and at the rate of the stream.

    Attributes:
        drop: samples that are still to be left out.
    """

    def __init__(self, av: Any, *, layout: Any, sample_rate_hz: int) -> None:
        self._av, self._layout, self._rate = av, layout, sample_rate_hz
        self._kind: tuple[str, str, int] | None = None
        self._fifo: Any = None
        self._resampler: Any = None
        self.drop = 0

    def fits(self, frame: Any) -> bool:
        """Say whether a frame is of the kind that is queued."""
        return self._kind is None or self._kind == _kind(frame)

    def add(self, frame: Any) -> Iterator[Float32Array]:
        """Queue a frame of the same kind, or the first after rest."""
        if self._kind is None:
            self._kind = _kind(frame)
            self._fifo = self._av.AudioFifo()
            self._resampler = self._av.AudioResampler(format="fltp", layout=self._layout, rate=self._rate)
        frame.pts = None
        self._fifo.write(frame)
        if self._fifo.samples >= _BLOCK_SAMPLES:
            yield from self._given(self._fifo.read())

    def rest(self) -> Iterator[Float32Array]:
        """Give what is queued; the next frame may be of another kind."""
        if self._kind is not None:
            if self._fifo.samples:
                yield from self._given(self._fifo.read())
            yield from self._given(None)
        self._kind = None

    def _given(self, frame: Any) -> Iterator[Float32Array]:
        for piece in self._resampler.resample(frame):
            samples = np.ascontiguousarray(piece.to_ndarray()[:, self.drop :], dtype=np.float32)
            self.drop = max(0, self.drop - piece.samples)
            if samples.shape[1]:
                yield samples


def _kind(frame: Any) -> tuple[str, str, int]:
    return frame.format.name, frame.layout.name, frame.sample_rate


class _Place:
    """How far a stream is decoded, against what its frames say of themselves."""

    def __init__(self, first_s: float, base_s: float, sample_rate_hz: int) -> None:
        self._first_s, self._base_s, self._rate = first_s, base_s, sample_rate_hz
        self.samples = 0
        """Since the first frame's first sample, a run-up that is left out counted."""

    def gap_before(self, frame: Any) -> int:
        """Give the samples missing before a frame; a clock that jumps back, or by hours, is begun anew."""
        if frame.pts is None:
            return 0
        late_s = int(frame.pts) * self._base_s - self._first_s - self.samples / self._rate
        if -_GAP_S < late_s < _GAP_S:
            return 0
        if late_s < 0 or late_s > _LATEST_START_S:
            self._first_s += late_s
            return 0
        missing = ceil(late_s * self._rate - _ROUNDING_SAMPLES)
        self.samples += missing
        return missing


def _ends(stream: BinaryIO) -> bytes:
    """Give the first and last bytes of a stream, and go back to its start."""
    size = stream.seek(0, 2)
    stream.seek(0)
    head = stream.read(_EVIDENCE_BYTES)
    stream.seek(max(len(head), size - _EVIDENCE_BYTES))
    tail = stream.read()
    stream.seek(0)
    return head + tail


def _seconds(timed: Any) -> Fraction | None:
    """Give when a packet or a frame is presented."""
    return None if timed.pts is None or timed.time_base is None else timed.pts * Fraction(timed.time_base)


def _damaged() -> UnreadableSound:
    return UnreadableSound(
        "The sound in the file cannot be decoded.", remedy="It is cut off or damaged: export or download it again."
    )
