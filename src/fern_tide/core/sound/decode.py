"""Sound files in blocks, whatever their format, and an honest measure of what they hold.

Files are decided by content, never by name, and a header's claims are checked against what can be decoded.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from fractions import Fraction
from typing import BinaryIO

import numpy as np
import soundfile

from fern_tide.core.base.errors import Cancelled, UnreadableSound
from fern_tide.core.base.params import Frozen, build
from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.containers import Container, demuxer_of

BLOCK_SAMPLES = 65_536
READABLE = "WAV, AIFF, FLAC, OGG Vorbis, Opus, MP3, M4A or a video with sound"
_ROUGH_CLAIMS = {"MP3", "MOV", "MATROSKA", "ASF", "AAC"}  # these say their length to a frame of the codec or worse
_SLACK_S = 1
_LENGTH_UNKNOWN = 2**62  # what the decoder says of a stream with no length
_WAV_SIZE_UNKNOWN = {0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000}  # what programs that stream write


class SoundInfo(Frozen, frozen=True):
    """What a sound file holds, as decoded; the note says what was chosen where there was a choice."""

    format: str
    encoding: str
    channels: int
    sample_rate_hz: int
    n_samples: int
    note: str = ""

    def without_note(self) -> SoundInfo:
        """Give what the file holds and nothing that is said about it."""
        return self.model_copy(update={"note": ""})

    @property
    def duration(self) -> Fraction:
        """The exact length in seconds."""
        return Fraction(self.n_samples, self.sample_rate_hz)


@dataclass(frozen=True)
class SoundLimits:
    """How much sound is taken; enforced while decoding."""

    longest_s: int = 3 * 3600
    most_channels: int = 8
    slowest_hz: int = 8_000
    fastest_hz: int = 192_000


class _Sequential(soundfile.SoundFile):  # type: ignore[misc]
    """A sound that is only ever read onwards.

    The library seeks after every block that it reads from a seekable file; in an MP3 such a seek lands hundreds of
    samples away, so that every block but the first would be out of time.
    """

    def seekable(self) -> bool:
        """Say no, so that nothing is sought."""
        return False


def open_sound(stream: BinaryIO) -> soundfile.SoundFile:
    """Open a sound for reading from a seekable stream.

    Raises:
        UnreadableSound: it is empty, or no sound of a kind that is read.
    """
    stream.seek(0, 2)
    if stream.tell() == 0:
        raise UnreadableSound("The file is empty.", remedy="Export it again, or choose another file.")
    stream.seek(0)
    try:
        return _Sequential(stream)
    except (soundfile.LibsndfileError, RuntimeError, TypeError) as cause:
        raise UnreadableSound("This is not a sound file that can be read.", remedy=f"Bring in {READABLE}.") from cause


def blocks(stream: BinaryIO, *, block_samples: int = BLOCK_SAMPLES) -> Iterator[Float32Array]:
    """Decode a stream from its start.

    Yields:
        Arrays of shape (channels, samples), 1.0 being full scale, the last one perhaps shorter.

    Raises:
        UnreadableSound: the stream cannot be opened, or breaks off in the middle.
    """
    demuxer = demuxer_of(stream)
    if demuxer is None:
        yield from _plain_blocks(stream, block_samples)
        return
    with closing(Container(stream, demuxer=demuxer)) as container:
        yield from _gathered(container.blocks(), block_samples)


def _gathered(pieces: Iterator[Float32Array], block_samples: int) -> Iterator[Float32Array]:
    """Put the small pieces that codecs give together, at least so many samples at a time."""
    held: list[Float32Array] = []
    n_held = 0
    for piece in pieces:
        held.append(piece)
        n_held += piece.shape[1]
        if n_held >= block_samples:
            yield np.concatenate(held, axis=1)
            held, n_held = [], 0
    if n_held:
        yield np.concatenate(held, axis=1)


def _plain_blocks(stream: BinaryIO, block_samples: int) -> Iterator[Float32Array]:
    with open_sound(stream) as sound:
        done = 0
        while True:
            try:
                block = sound.read(block_samples, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError) as cause:
                claimed = _clock(sound.frames / sound.samplerate)
                raise UnreadableSound(
                    f"The file says that it holds {claimed} of sound, but it cannot be decoded "
                    f"past {_clock(done / sound.samplerate)}.",
                    remedy="It is cut off or damaged: export or download it again.",
                ) from cause
            if len(block) == 0:
                return
            done += len(block)
            yield np.ascontiguousarray(block.T)


@dataclass(frozen=True)
class _Claims:
    """What a file says of itself, before it is decoded."""

    format: str
    encoding: str
    channels: int
    sample_rate_hz: int
    n_samples: int
    note: str = ""


def _claims(stream: BinaryIO) -> _Claims:
    demuxer = demuxer_of(stream)
    if demuxer is None:
        with open_sound(stream) as sound:
            return _Claims(sound.format, sound.subtype, sound.channels, int(sound.samplerate), int(sound.frames))
    with closing(Container(stream, demuxer=demuxer)) as found:
        claimed = found.claimed_samples
        return _Claims(found.format, found.encoding, found.channels, found.sample_rate_hz, claimed, found.note)


def measure(
    stream: BinaryIO,
    *,
    limits: SoundLimits | None = None,
    progress: Callable[[int, int], bool] = lambda done, total: True,
) -> SoundInfo:
    """Decode the whole stream once and say what it really holds.

    Args:
        stream: seekable; read from its start.
        limits: how much is taken; the defaults of SoundLimits.
        progress: called with (samples decoded, samples claimed); False cancels.

    Raises:
        UnreadableSound: it is empty, no sound, damaged, outside the limits, or not what its header claims.
    """
    limits = limits or SoundLimits()
    _refuse_short_wav(stream)
    said = _claims(stream)
    _refuse_odd_shapes(said, limits)
    rate, claimed = said.sample_rate_hz, said.n_samples
    n_samples = _count(stream, longest=limits.longest_s * rate, rate_hz=rate, claimed=claimed, progress=progress)
    if n_samples == 0:
        raise UnreadableSound("The file holds no sound: it has no samples.", remedy="Export it again.")
    slack = _SLACK_S * rate if said.format in _ROUGH_CLAIMS else 0
    if n_samples + slack < claimed < _LENGTH_UNKNOWN:
        raise _cut_off(claimed / rate, n_samples / rate)
    held = {"format": said.format, "encoding": said.encoding, "channels": said.channels}
    return build(SoundInfo, {**held, "sample_rate_hz": rate, "n_samples": n_samples, "note": said.note})


def _count(stream: BinaryIO, *, longest: int, rate_hz: int, claimed: int, progress: Callable[[int, int], bool]) -> int:
    n_samples = 0
    for block in blocks(stream):
        n_samples += block.shape[1]
        if n_samples > longest:
            raise UnreadableSound(
                f"The sound is longer than {_clock(longest / rate_hz)}.", remedy="Bring in a shorter one."
            )
        finite = np.isfinite(block).all(axis=0)
        if not finite.all():
            bad = n_samples - block.shape[1] + int(finite.argmin())
            raise UnreadableSound(
                f"The sound has samples that are no numbers, near {_clock(bad / rate_hz)}.",
                remedy="Export it again, as 24-bit rather than float if that does not help.",
            )
        if not progress(n_samples, claimed):
            raise Cancelled
    return n_samples


def _refuse_odd_shapes(said: _Claims, limits: SoundLimits) -> None:
    if said.channels > limits.most_channels:
        raise UnreadableSound(
            f"The sound has {said.channels} channels; at most {limits.most_channels} are read.",
            remedy="Mix it down first.",
        )
    if not limits.slowest_hz <= said.sample_rate_hz <= limits.fastest_hz:
        raise UnreadableSound(
            f"The sound has {said.sample_rate_hz} samples a second.",
            remedy=f"Convert it to a rate from {limits.slowest_hz} to {limits.fastest_hz} Hz, such as 48000.",
        )


def _refuse_short_wav(stream: BinaryIO) -> None:
    """Refuse a WAV whose data chunk claims more bytes than follow.

    The decoder silently corrects such a header, so that a cut-off download would pass for a whole sound.
    """
    size = stream.seek(0, 2)
    stream.seek(0)
    head = stream.read(12)
    if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
        return
    at, bytes_per_s = 12, 0
    while at + 8 <= size:
        stream.seek(at)
        name, length = struct.unpack("<4sI", stream.read(8))
        if name == b"fmt " and length >= 16:
            bytes_per_s = struct.unpack("<HHIIHH", stream.read(16))[3]
        if name == b"data":
            held = size - at - 8
            if length > held and length not in _WAV_SIZE_UNKNOWN:
                raise _cut_off(length / max(bytes_per_s, 1), held / max(bytes_per_s, 1))
            return
        at += 8 + length + length % 2


def _cut_off(claimed_s: float, held_s: float) -> UnreadableSound:
    return UnreadableSound(
        f"The file says that it holds {_clock(claimed_s)} of sound, but only {_clock(held_s)} is there.",
        remedy="It is cut off or damaged: export or download it again.",
        claimed_s=claimed_s,
        held_s=held_s,
    )


def _clock(seconds: float) -> str:
    if seconds < 60:
        return f"{seconds:.1f} seconds"
    minutes, rest = divmod(int(seconds), 60)
    return f"{minutes}:{rest:02d} minutes" if minutes < 60 else f"{minutes / 60:.1f} hours"
