"""Which of a sound's channels a level is read from."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from fern_tide.core.base.signal import Float32Array


class Channel(StrEnum):
    """Left, right, mid (L+R)/2, side (L-R)/2, loudest (the maximum of all channels' levels), or one by its number."""

    MID = "mid"
    LEFT = "left"
    RIGHT = "right"
    SIDE = "side"
    LOUDEST = "loudest"
    THIRD = "3"
    FOURTH = "4"
    FIFTH = "5"
    SIXTH = "6"
    SEVENTH = "7"
    EIGHTH = "8"


_OF_ONE = {Channel.MID, Channel.LEFT, Channel.RIGHT}


def pick(block: Float32Array, *, channel: Channel) -> Float32Array:
    """Give the signals whose levels are read: one, or for the loudest every channel.

    Args:
        block: shape (channels, samples).
        channel: a mono sound is its own left, right and mid, and has no side; a channel that is not there is silent.

    Returns:
        Shape (signals, samples).
    """
    if channel is Channel.LOUDEST or (len(block) == 1 and channel in _OF_ONE):
        return block
    left, right = block[0], block[min(1, len(block) - 1)]
    if channel.isdigit():
        number = int(channel) - 1
        return block[number : number + 1] if number < len(block) else np.zeros_like(block[:1])
    if channel is Channel.LEFT:
        chosen = left
    elif channel is Channel.RIGHT:
        chosen = right
    elif channel is Channel.MID:
        chosen = (left + right) * np.float32(0.5)
    else:
        chosen = (left - right) * np.float32(0.5)
    return np.asarray(chosen[np.newaxis], dtype=np.float32)


def n_signals(channels: int, *, channel: Channel) -> int:
    """Count the signals that pick gives for a sound of so many channels."""
    return channels if channel is Channel.LOUDEST else 1
