"""Sound files in blocks, whatever their format, and an honest measure of what they hold.

Files are decided by content, never by name, and a header's claims are checked against what can be decoded.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, BinaryIO, TypeAlias

import numpy as np
import soundfile
from pydantic import Field

from fern_tide.core.base.errors import Cancelled, UnreadableSound
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen, build
from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.containers import Container
from fern_tide.core.sound.kinds import demuxer_of, fallback_demuxer_of
from fern_tide.core.sound.layout import masked_layout
from fern_tide.core.sound.wav_header import WavHeader, wav_header

BLOCK_SAMPLES = 65_536
READABLE = "WAV, AIFF, FLAC, OGG Vorbis, Opus, MP3, M4A, AC-3 or a video with sound"
_LENGTH_UNKNOWN = 2**62  # what the decoder says of a stream with no length


Speaker: TypeAlias = Annotated[str, Field(max_length=16)]


class SoundInfo(Frozen, frozen=True):
    """What a sound file holds, as decoded.

    Attributes:
        layout: the loudspeaker of each channel, such as FL, FR, LFE; empty where the usual ones are meant.
        note: what was chosen where there was a choice, and what is odd about the file.
    """

    format: Annotated[str, Field(max_length=120)]
    encoding: Annotated[str, Field(max_length=120)]
    channels: Annotated[int, Field(ge=0, le=64)]
    sample_rate_hz: Annotated[int, Field(ge=1, le=1_000_000)]
    n_samples: Annotated[int, Field(ge=0, le=2**40)]
    layout: Annotated[tuple[Speaker, ...], Most(64)] = ()
    note: Annotated[str, Field(max_length=2000)] = ""

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


@dataclass(frozen=True)
class SoundHead:
    """What a file says of itself before it is decoded; 0 samples where it does not say."""

    channels: int
    sample_rate_hz: int
    layout: tuple[str, ...]
    claimed_samples: int


class _Sequential(soundfile.SoundFile):  # type: ignore[misc]  # the library brings no types
    """A sound that is only ever read onwards: the library else seeks after every block of a seekable file."""

    def seekable(self) -> bool:
        """Say no, so that nothing is sought."""
        return False


class _Plain:
    """A sound that the sound library reads: its header counts every sample.

    Raises:
        UnreadableSound: it is no sound of a kind that is read.
    """

    exact = True
    note = ""

    def __init__(self, stream: BinaryIO, header: WavHeader | None) -> None:
        stream.seek(0)
        self._sound = _Sequential(stream)
        sound = self._sound
        self.format, self.encoding = str(sound.format), str(sound.subtype)
        self.channels, self.sample_rate_hz = int(sound.channels), int(sound.samplerate)
        self.claimed_samples = int(sound.frames)
        self.layout = masked_layout(header.channel_mask if header else 0, channels=self.channels)

    def blocks(self) -> Iterator[Float32Array]:
        """Decode it block by block."""
        done, rate = 0, self.sample_rate_hz
        while True:
            try:
                block = self._sound.read(BLOCK_SAMPLES, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError) as cause:
                raise UnreadableSound(
                    f"The file says that it holds {_clock(self.claimed_samples / rate)} of sound, but it cannot be "
                    f"decoded past {_clock(done / rate)}.",
                    remedy="It is cut off or damaged: export or download it again.",
                ) from cause
            if len(block) == 0:
                return
            done += len(block)
            yield np.ascontiguousarray(block.T)

    def close(self) -> None:
        """Let go of it."""
        self._sound.close()


def _opened(stream: BinaryIO) -> _Plain | Container:
    """Open a sound for decoding, whatever its kind.

    Raises:
        UnreadableSound: it is empty, or no sound of a kind that is read.
    """
    if stream.seek(0, 2) == 0:
        raise UnreadableSound("The file is empty.", remedy="Export it again, or choose another file.")
    demuxer = demuxer_of(stream)
    if demuxer is not None:
        return Container(stream, demuxer=demuxer)
    try:
        return _Plain(stream, wav_header(stream))
    except (soundfile.LibsndfileError, RuntimeError, TypeError) as cause:
        second = fallback_demuxer_of(stream)
        try:
            if second is not None:
                return Container(stream, demuxer=second)
        except UnreadableSound:
            pass
        raise UnreadableSound("This is not a sound file that can be read.", remedy=f"Bring in {READABLE}.") from cause


def blocks(stream: BinaryIO) -> Iterator[Float32Array]:
    """Decode a stream from its start.

    Yields:
        Arrays of shape (channels, samples), 1.0 being full scale.

    Raises:
        UnreadableSound: the stream cannot be opened, or breaks off in the middle.
    """
    with closing(_opened(stream)) as sound:
        yield from sound.blocks()


def measure(
    stream: BinaryIO,
    *,
    limits: SoundLimits | None = None,
    progress: Callable[[int, int], bool] = lambda done, total: True,
    heard: Callable[[SoundHead], Callable[[Float32Array], None]] | None = None,
) -> SoundInfo:
    """Decode the whole stream once and say what it really holds.

    The length is what decodes. A plain file that claims more than it holds is refused, since its header counts every
    sample; a container that claims more is read, and the difference is said in the note.

    Args:
        stream: seekable; read from its start.
        limits: how much is taken; the defaults of SoundLimits.
        progress: called with (samples decoded, samples claimed); False cancels.
        heard: called with what the file says of itself; what it gives is called with every block, shape
            (channels, samples), so that more can be read in the same pass.

    Raises:
        UnreadableSound: it is empty, no sound, damaged, outside the limits, or not what its header claims.
        Cancelled: progress said False.
    """
    limits = limits or SoundLimits()
    _refuse_short_wav(stream)
    with closing(_opened(stream)) as sound:
        _refuse_odd_shapes(sound, limits)
        rate, claimed = sound.sample_rate_hz, sound.claimed_samples
        head = SoundHead(sound.channels, rate, sound.layout, claimed if claimed < _LENGTH_UNKNOWN else 0)
        listen = heard(head) if heard is not None else None
        n_samples = 0
        for block in sound.blocks():
            n_samples += block.shape[1]
            _refuse_odd_block(block, n_samples, rate_hz=rate, limits=limits)
            if listen is not None:
                listen(block)
            if not progress(n_samples, claimed):
                raise Cancelled
        if n_samples == 0:
            raise UnreadableSound("The file holds no sound: it has no samples.", remedy="Export it again.")
        note = sound.note
        if n_samples < claimed < _LENGTH_UNKNOWN and sound.exact:
            raise _cut_off(claimed / rate, n_samples / rate)
        if n_samples + rate < claimed < _LENGTH_UNKNOWN:
            note += f" The file says that it holds {_clock(claimed / rate)}; {_clock(n_samples / rate)} are there."
        info = {"format": sound.format, "encoding": sound.encoding, "channels": sound.channels, "layout": sound.layout}
        return build(SoundInfo, {**info, "sample_rate_hz": rate, "n_samples": n_samples, "note": note.strip()})


def _refuse_odd_block(block: Float32Array, n_samples: int, *, rate_hz: int, limits: SoundLimits) -> None:
    if n_samples > limits.longest_s * rate_hz:
        raise UnreadableSound(f"The sound is longer than {_clock(limits.longest_s)}.", remedy="Bring in a shorter one.")
    finite = np.isfinite(block)
    if not finite.all():
        bad = n_samples - block.shape[1] + int(finite.all(axis=0).argmin())
        raise UnreadableSound(
            f"The sound has samples that are no numbers, near {_clock(bad / rate_hz)}.",
            remedy="Export it again, as 24-bit rather than float if that does not help.",
        )


def _refuse_odd_shapes(sound: _Plain | Container, limits: SoundLimits) -> None:
    if sound.channels > limits.most_channels:
        raise UnreadableSound(
            f"The sound has {sound.channels} channels; at most {limits.most_channels} are read.",
            remedy="Mix it down first.",
        )
    if not limits.slowest_hz <= sound.sample_rate_hz <= limits.fastest_hz:
        raise UnreadableSound(
            f"The sound has {sound.sample_rate_hz} samples a second.",
            remedy=f"Convert it to a rate from {limits.slowest_hz} to {limits.fastest_hz} Hz, such as 48000.",
        )


def _refuse_short_wav(stream: BinaryIO) -> None:
    """Refuse a WAV whose data chunk claims more bytes than follow.

    The decoder silently corrects such a header, so that a cut-off download would pass for a whole sound.
    """
    header = wav_header(stream)
    if header is not None and header.claimed_bytes is not None and header.claimed_bytes > header.held_bytes:
        bytes_per_s = max(header.bytes_per_s, 1)
        raise _cut_off(header.claimed_bytes / bytes_per_s, header.held_bytes / bytes_per_s)


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
