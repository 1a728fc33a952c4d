"""Which loudspeaker each channel of a sound is for."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray

SPEAKERS: tuple[str, ...] = (
    "FL",
    "FR",
    "FC",
    "LFE",
    "BL",
    "BR",
    "FLC",
    "FRC",
    "BC",
    "SL",
    "SR",
    "TC",
    "TFL",
    "TFC",
    "TFR",
    "TBL",
    "TBC",
    "TBR",
)
"""Loudspeakers in the order of a WAV file's channel mask: front left, front right, centre, low frequency, ..."""
_USUAL = {
    1: ("FC",),
    2: ("FL", "FR"),
    3: ("FL", "FR", "FC"),
    4: ("FL", "FR", "BL", "BR"),
    5: ("FL", "FR", "FC", "BL", "BR"),
    6: ("FL", "FR", "FC", "LFE", "BL", "BR"),
    7: ("FL", "FR", "FC", "LFE", "BC", "SL", "SR"),
    8: ("FL", "FR", "FC", "LFE", "BL", "BR", "SL", "SR"),
}
_SURROUND, _LOW = 1.41, "LFE"
_BEHIND = ("B", "S", "TB")


def usual_layout(channels: int) -> tuple[str, ...]:
    """Give the loudspeakers of a file that does not say: those that the FLAC format lays down (RFC 9639, 9.1.3).

    More than eight channels have none.
    """
    return _USUAL.get(channels, ())


def masked_layout(mask: int, *, channels: int) -> tuple[str, ...]:
    """Give the loudspeakers that a WAV file's channel mask names, or the usual ones where it names another number."""
    named = tuple(name for bit, name in enumerate(SPEAKERS) if mask >> bit & 1)
    return named if len(named) == channels else usual_layout(channels)


def loudness_weights(layout: tuple[str, ...], *, channels: int) -> FloatArray:
    """Give how much each channel's power counts in its loudness, shape (channels,).

    As ITU-R BS.1770-5 has it: 1 in front, 1.41 beside and behind, and the low-frequency channels not at all.
    """
    speakers = layout if len(layout) == channels else usual_layout(channels)
    if len(speakers) != channels:
        return np.ones(channels)
    return np.array([_weight(name) for name in speakers])


def _weight(speaker: str) -> float:
    if speaker.startswith(_LOW):
        return 0.0
    return _SURROUND if speaker.startswith(_BEHIND) else 1.0
