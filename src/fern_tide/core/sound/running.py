"""What is read from every sample as it passes, whatever the frames: the waveform and loudness."""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.grid import Samples
from fern_tide.core.sound.layout import loudness_weights

WAVEFORM_SAMPLES = 256
SILENCE_LUFS = -0.691  # the offset of ITU-R BS.1770-5, annex 1: loudness = -0.691 + 10 log10(weighted power)


class Spans(ABC):
    """Something read from every so many samples as blocks pass, whatever the blocks' lengths."""

    size: int
    """The samples in a span; the last span may be shorter."""

    def __init__(self, out: Float32Array) -> None:
        self._out = out
        self._span = 0
        self._left: Float32Array | None = None

    @abstractmethod
    def _read(self, spans: Float32Array) -> Float32Array:
        """Give what is read from spans of shape (channels, spans, samples), the spans on the last axis."""

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        if self._left is not None:
            block = np.concatenate([self._left, block], axis=1)
        whole = block.shape[1] // self.size
        self._write(block[:, : whole * self.size].reshape(len(block), whole, self.size))
        self._left = block[:, whole * self.size :]

    def finish(self) -> None:
        """Write the last span, which may be short."""
        if self._left is not None and self._left.shape[1]:
            self._write(self._left[:, np.newaxis])

    def _write(self, spans: Float32Array) -> None:
        if spans.shape[1]:
            self._out[..., self._span : self._span + spans.shape[1]] = self._read(spans)
            self._span += spans.shape[1]


class Waveform(Spans):
    """The lowest and highest sample of every 256, over all channels, written into an array of shape (2, spans)."""

    size = WAVEFORM_SAMPLES

    def _read(self, spans: Float32Array) -> Float32Array:
        return np.stack([spans.min(axis=2).min(axis=0), spans.max(axis=2).max(axis=0)])


class KWeighting:
    """The power of a sound as it counts for its loudness, block by block: K-weighted, each channel by its loudspeaker.

    Args:
        sample_rate_hz: of the sound.
        layout: the loudspeaker of each channel; empty for the usual ones.
    """

    def __init__(self, sample_rate_hz: int, layout: tuple[str, ...] = ()) -> None:
        self._sections, self._layout = k_weighting(sample_rate_hz), layout
        self._state: FloatArray | None = None

    def power(self, block: Float32Array) -> FloatArray:
        """Give the weighted power of the next block, shape (channels, samples), as shape (samples,)."""
        from scipy.signal import lfilter, sos2tf  # slow to import

        if self._state is None:
            self._state, self._filter = np.zeros((len(block), 4)), sos2tf(self._sections)
            self._weights = loudness_weights(self._layout, channels=len(block))
        weighted, self._state = lfilter(*self._filter, block, axis=1, zi=self._state)
        return np.asarray(np.einsum("c,cs,cs->s", self._weights, weighted, weighted))


class Loudness:
    """K-weighted level of windows, as ITU-R BS.1770 weighs it, written as 10^(LUFS / 20) into an array of (frames,).

    Power is summed over channels, each by its loudspeaker's weight, and averaged over each window; silence outside
    the sound counts. A window that hears nothing is 0.
    """

    def __init__(
        self, out: Float32Array, *, starts: Samples, ends: Samples, sample_rate_hz: int, layout: tuple[str, ...] = ()
    ) -> None:
        self._out, self._length = out, np.maximum(ends - starts, 1)
        self._edges, self._places = np.unique(np.stack([starts, ends]), return_inverse=True)
        self._power_at = np.zeros(self._edges.shape)
        self._passed = int(np.searchsorted(self._edges, 0, side="right"))  # edges before which there is silence only
        self._weighting = KWeighting(sample_rate_hz, layout)
        self._position, self._total = 0, 0.0

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        power = self._weighting.power(block)
        end = self._position + block.shape[1]
        passed = int(np.searchsorted(self._edges, end, side="right"))
        cuts = self._edges[self._passed : passed] - self._position
        begins = np.concatenate([[0], cuts])
        sums = self._total + np.cumsum(np.add.reduceat(power, begins[begins < block.shape[1]]))
        self._power_at[self._passed : passed] = sums[: len(cuts)]
        self._passed = passed
        self._position, self._total = end, float(sums[-1])

    def finish(self) -> None:
        """Write the levels."""
        self._power_at[self._passed :] = self._total
        first, last = self._power_at[self._places].reshape(2, -1)
        power = np.maximum(last - first, 0.0) / self._length
        heard = power > 1e-14  # rounding of long sums lies far below
        self._out[heard] = np.sqrt(power[heard]) * 10.0 ** (SILENCE_LUFS / 20.0)


def k_weighting(sample_rate_hz: int) -> npt.NDArray[np.float64]:
    """Give the two biquads of K-weighting as second-order sections, shape (2, 6), at any sample rate.

    ITU-R BS.1770 tabulates them at 48 kHz; these are the analogue prototypes behind the table (B. De Man, 'Evaluation
    of implementations of the EBU R128 loudness measurement', 2018), brought to other rates by the bilinear transform.
    """
    k = np.tan(np.pi * 1681.974450955533 / sample_rate_hz)
    q, high = 0.7071752369554196, 10.0 ** (3.999843853973347 / 20.0)
    boost = high**0.4996667741545416
    scale = 1.0 + k / q + k * k
    shelf = [
        (high + boost * k / q + k * k) / scale,
        2.0 * (k * k - high) / scale,
        (high - boost * k / q + k * k) / scale,
        1.0,
        2.0 * (k * k - 1.0) / scale,
        (1.0 - k / q + k * k) / scale,
    ]
    k, q = np.tan(np.pi * 38.13547087602444 / sample_rate_hz), 0.5003270373238773
    scale = 1.0 + k / q + k * k
    cut = [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / scale, (1.0 - k / q + k * k) / scale]
    return np.array([shelf, cut])
