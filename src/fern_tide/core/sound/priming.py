"""Where the first sample that a codec gives stands in time.

One rule for every container: **zero is the zero of the file's own timeline; what an encoder put before the sound is
left out; a sound that begins later has silence before it.** Where the container says how long the encoder's run-up is,
the decoder has taken it off already. Where it does not, the encoder is looked for by the name that it leaves in its
stream. Many muxers move everything later so that the run-up begins at zero; that is taken back.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

_NAMES = {"aac": (b"Lavc", b"libfdk_aac"), "mp3": (b"LAME", b"Lavc", b"libmp3lame")}
_LONG_RUN_UP = {b"libfdk_aac": 2048}
_MS = Fraction(1, 1000)


@dataclass(frozen=True)
class RunUp:
    """What an encoder put before the sound.

    Attributes:
        samples: how many.
        known: whether the encoder is known; else it is the least that the codec can have.
    """

    samples: int
    known: bool


def run_up(codec: str, evidence: bytes, *, frame_samples: int) -> RunUp:
    """Give the run-up of a stream whose container does not tell.

    Args:
        codec: the decoder's name.
        evidence: bytes in which an encoder may have left its name.
        frame_samples: in a frame, as decoded.

    The numbers: an MDCT of 1024 lines needs one frame of AAC (ISO 14496-3), 256 samples of AC-3 (ATSC A/52); the
    polyphase filters of MPEG layers I and II are 481 late, those of layer III 529, and LAME begins 576 before that.
    """
    if codec.startswith("aac"):
        named = next((name for name in reversed(_NAMES["aac"]) if name in evidence), b"")
        longer = frame_samples // 1024 if frame_samples > 1024 else 1  # with doubled bands
        return RunUp(_LONG_RUN_UP.get(named, 1024) * longer, bool(named) and longer == 1)
    if codec.startswith("mp3"):
        known = any(name in evidence for name in _NAMES["mp3"])
        return RunUp(1105 if known else 529, known)
    if codec.startswith(("mp2", "mp1")):
        return RunUp(481, True)
    return RunUp(256, True) if codec in {"ac3", "eac3"} else RunUp(0, True)


@dataclass(frozen=True)
class FirstMoment:
    """The first things that a stream gives, in seconds of the file's timeline.

    Attributes:
        packet_s: when its first packet is presented.
        frame_s: when the first decoded frame is, what the decoder took off being gone.
        run_up: what is still before the sound in that frame.
        lost: samples that the decoder needs before its first frame, and does not give.
        sample_rate_hz: of the sound.
    """

    packet_s: Fraction
    frame_s: Fraction
    run_up: RunUp
    lost: int
    sample_rate_hz: int

    @property
    def begins_s(self) -> Fraction:
        """When the sound begins, its run-up left out; never before zero."""
        swallowed = max(Fraction(0), self.frame_s - self.packet_s)
        before = Fraction(self.run_up.samples, self.sample_rate_hz)
        run_up = before + (Fraction(self.lost, self.sample_rate_hz) if self.lost else swallowed)
        moved = run_up if abs(self.packet_s) < _MS / 2 else 0
        return max(Fraction(0), self.frame_s + before - moved)
