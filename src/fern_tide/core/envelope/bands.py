"""Bands to start from: named ones, and those that move most independently in a track."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.band_reading import band_power

_LOWEST_HZ, _HIGHEST_HZ = 30.0, 16_000.0
_PIECES = 27  # a third of an octave each
_FEWEST, _MOST = 3, 5
_MOST_FRAMES = 6000
_SPLIT_GAIN = 0.06  # of all movement that one more band must explain to be worth having
_QUIET_DB = -50.0  # below the loudest piece: nothing that is heard


@dataclass(frozen=True)
class NamedBand:
    """A band to start from.

    Attributes:
        name: what people call it.
        low_hz: its lower edge.
        high_hz: its upper edge.
        help: what is mostly in it, and what else is.
    """

    name: str
    low_hz: float
    high_hz: float
    help: str = ""


NAMED_BANDS = (
    NamedBand("Sub", 20, 60, "The floor of synths and big drums; small speakers are silent here."),
    NamedBand("Low drum", 40, 120, "Most of a bass drum's body; the lowest bass notes lie here too."),
    NamedBand("Bass", 60, 250, "Bass notes and drum bodies; low voices and the left hand begin here."),
    NamedBand("Voice", 200, 4_000, "Nearly all of a voice, and most melody instruments with it."),
    NamedBand("Presence", 4_000, 8_000, "Consonants, snares and picks; cymbals too."),
    NamedBand("Air", 8_000, 16_000, "Hats, hiss and breath; nothing is sung here."),
)


def suggest_bands(cumulative: Float32Array, edges_hz: FloatArray) -> tuple[NamedBand, ...]:
    """Find the three to five neighbouring bands whose levels move most independently.

    The levels of third-octave pieces are compared by correlation; the range is cut, by dynamic programming, where the
    pieces of a band agree most with one another. One more band is taken while it explains enough more.

    Args:
        cumulative: shape (signals, columns, frames), from summed_power.
        edges_hz: its columns' frequencies.

    Returns:
        Bands from low to high, named by the named band that each overlaps most; none where the sound is silent.
    """
    every = max(1, cumulative.shape[-1] // _MOST_FRAMES)
    top = min(_HIGHEST_HZ, float(edges_hz[-1]))
    cuts = np.geomspace(_LOWEST_HZ, top, _PIECES + 1)
    power = band_power(cumulative[..., ::every], edges_hz, cuts_hz=cuts).sum(axis=0)
    levels = np.sqrt(power)
    peaks = np.percentile(levels, 99, axis=-1) if levels.shape[-1] else np.zeros(_PIECES)
    if peaks.max(initial=0.0) < 1e-5:
        return ()
    counts = 20 * np.log10(np.maximum(peaks, 1e-12) / peaks.max()) > _QUIET_DB
    similar = _similarity(levels, counts)
    weights = np.where(counts, 1.0, 0.05)
    cost = _segment_costs(similar, weights)
    total = cost[0, _PIECES]
    chosen = _cut(cost, _FEWEST)
    for n in range(_FEWEST + 1, _MOST + 1):
        finer = _cut(cost, n)
        if (_cost_of(cost, chosen) - _cost_of(cost, finer)) < _SPLIT_GAIN * total:
            break
        chosen = finer
    pairs = [(a, b) for a, b in pairwise(chosen) if counts[a:b].any()]
    return _named([_trimmed(cuts, counts, a, b) for a, b in pairs])


def _similarity(levels: FloatArray, counts: np.ndarray) -> FloatArray:
    logs = np.log(levels + levels.max() * 1e-3)
    centred = logs - logs.mean(axis=1, keepdims=True)
    spread = np.sqrt((centred**2).sum(axis=1))
    unit = centred / np.where(spread > 1e-9, spread, 1.0)[:, None]
    similar = unit @ unit.T
    np.fill_diagonal(similar, 1.0)
    return np.asarray(similar)


def _segment_costs(similar: FloatArray, weights: FloatArray) -> FloatArray:
    """Give, for every stretch of pieces, how much of their movement the stretch as one does not explain."""
    n = len(weights)
    cost = np.zeros((n + 1, n + 1))
    for a in range(n):
        for b in range(a + 1, n + 1):
            w = weights[a:b]
            agreed = float(w @ similar[a:b, a:b] @ w) / float(w.sum())
            cost[a, b] = max(0.0, float(w.sum()) - agreed)
    return cost


def _cut(cost: FloatArray, n_bands: int) -> tuple[int, ...]:
    n = cost.shape[0] - 1
    best = np.full((n_bands + 1, n + 1), np.inf)
    back = np.zeros((n_bands + 1, n + 1), dtype=int)
    best[0, 0] = 0.0
    for band in range(1, n_bands + 1):
        for end in range(band, n + 1):
            tried = best[band - 1, :end] + cost[:end, end]
            back[band, end] = int(tried.argmin())
            best[band, end] = tried.min()
    cuts = [n]
    for band in range(n_bands, 0, -1):
        cuts.append(int(back[band, cuts[-1]]))
    return tuple(reversed(cuts))


def _cost_of(cost: FloatArray, cuts: tuple[int, ...]) -> float:
    return float(sum(cost[a, b] for a, b in pairwise(cuts)))


def _trimmed(cuts: FloatArray, counts: np.ndarray, a: int, b: int) -> tuple[float, float]:
    heard = np.flatnonzero(counts[a:b]) + a
    return float(cuts[heard[0]]), float(cuts[heard[-1] + 1])


def _named(pairs: list[tuple[float, float]]) -> tuple[NamedBand, ...]:
    named: list[NamedBand] = []
    for low, high in pairs:

        def shared(band: NamedBand, low: float = low, high: float = high) -> float:
            both = np.log2(min(high, band.high_hz)) - np.log2(max(low, band.low_hz))
            return float(both) / float(np.log2(max(high, band.high_hz)) - np.log2(min(low, band.low_hz)))

        free = [band for band in NAMED_BANDS if band.name not in {item.name for item in named}]
        name = max(free, key=shared).name
        named.append(NamedBand(name, _round(low), _round(high)))
    return tuple(named)


def _round(hz: float) -> float:
    """Round to two figures, as people write frequencies."""
    digits = int(np.floor(np.log10(hz))) - 1
    return float(round(hz / 10**digits) * 10**digits)
