"""A sound without what lies outside a band, to hear what a band holds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray

VERSION = 1
_ORDER = 4


def band_passed(
    blocks: Iterator[Float32Array], *, low_hz: float, high_hz: float, sample_rate_hz: int
) -> Iterator[Float32Array]:
    """Filter blocks of sound.

    Args:
        blocks: shape (channels, samples) each.
        low_hz: the lower edge; below 10 Hz nothing is cut off there.
        high_hz: the upper edge; above 0.49 of the sample rate nothing is cut off there.
        sample_rate_hz: of the sound.

    Yields:
        Arrays of the same shapes: a Butterworth filter of order four on each side, run forwards.
    """
    from scipy.signal import butter, sosfilt  # slow to import

    parts = []
    if low_hz >= 10.0:
        parts.append(butter(_ORDER, min(low_hz, 0.45 * sample_rate_hz), "highpass", fs=sample_rate_hz, output="sos"))
    if high_hz <= 0.49 * sample_rate_hz:
        parts.append(butter(_ORDER, max(high_hz, 15.0), "lowpass", fs=sample_rate_hz, output="sos"))
    if not parts:
        yield from blocks
        return
    sections = np.concatenate(parts)
    state: FloatArray | None = None
    for block in blocks:
        if state is None:
            state = np.zeros((len(sections), len(block), 2))
        filtered, state = sosfilt(sections, block.astype(np.float64), axis=1, zi=state)
        yield np.asarray(filtered, dtype=np.float32)
