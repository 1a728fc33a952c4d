"""Sounds with hits at known samples, over noises of many kinds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

RATE_HZ = 44_100
SECONDS = 18
N_HITS = 16
Sound = np.ndarray


def _shaped(rng: np.random.Generator, slope: float, n: int) -> Sound:
    spectrum = np.fft.rfft(rng.normal(size=n))
    hz = np.maximum(np.fft.rfftfreq(n, 1 / RATE_HZ), 20.0)
    out = np.fft.irfft(spectrum * hz ** (-slope / 2), n)
    return out / np.sqrt(np.mean(out**2))


def _hum(rng: np.random.Generator, n: int) -> Sound:
    t = np.arange(n) / RATE_HZ
    out = sum(np.sin(2 * np.pi * 50 * k * t + rng.uniform(0, 6)) / k for k in range(1, 9))
    return out / np.sqrt(np.mean(out**2)) + 0.01 * rng.normal(size=n)


def _gusts(rng: np.random.Generator, n: int) -> Sound:
    """Noise that swells and sinks over seconds."""
    t = np.arange(n) / RATE_HZ
    return _shaped(rng, 1.0, n) * (1.0 + 0.6 * np.sin(2 * np.pi * 0.3 * t + rng.uniform(0, 6)))


NOISES: dict[str, Callable[[np.random.Generator, int], Sound]] = {
    "white": lambda rng, n: rng.normal(size=n),
    "pink": lambda rng, n: _shaped(rng, 1.0, n),
    "rumble": lambda rng, n: _shaped(rng, 2.0, n),
    "hum": _hum,
    "gusts": _gusts,
}


def _click(rng: np.random.Generator) -> Sound:
    return np.exp(-np.arange(400) / 60) * np.sign(np.cos(np.arange(400) * 1.7))


def _pluck(rng: np.random.Generator) -> Sound:
    t = np.arange(RATE_HZ // 3) / RATE_HZ
    hz = rng.uniform(300, 900)
    return sum(np.sin(2 * np.pi * hz * k * t) * np.exp(-t * 12 * k) / k for k in range(1, 6))


def _drum(rng: np.random.Generator) -> Sound:
    t = np.arange(RATE_HZ // 4) / RATE_HZ
    return np.sin(2 * np.pi * (55 * t + 6 * (1 - np.exp(-t * 40)) / 1)) * np.exp(-t / 0.07)


def _tick(rng: np.random.Generator) -> Sound:
    t = np.arange(RATE_HZ // 12) / RATE_HZ
    return np.diff(rng.normal(size=t.size + 1)) * np.exp(-t / 0.012) * 0.5


HITS = {"clicks": _click, "plucks": _pluck, "drums": _drum, "ticks": _tick}


def hits_over(
    hit: str, noise: str, *, noise_db: float, seed: int = 1, at: np.ndarray | None = None
) -> tuple[Sound, np.ndarray]:
    """Sixteen hits of 0.5 over a noise of so many dB (RMS): samples, and the sample at which each begins."""
    rng = np.random.default_rng(seed)
    n = SECONDS * RATE_HZ
    out = NOISES[noise](rng, n) * 10 ** (noise_db / 20)
    if at is None:
        at = np.sort(np.round((np.arange(N_HITS) + 0.8 + rng.uniform(-0.3, 0.3, N_HITS)) * RATE_HZ)).astype(np.int64)
    for start in at:
        sound = HITS[hit](rng) * 0.5
        out[start : start + sound.size] += sound[: n - start]
    return out, at


def drum_loop(seed: int, *, bpm: float = 112.0, bars: int = 8) -> tuple[Sound, np.ndarray]:
    """A loop of low drums, snares and hats on sixteenths, as loud as they come, over a faint hiss."""
    rng = np.random.default_rng(seed)
    step = 60.0 / bpm / 4
    n = round(bars * 16 * step * RATE_HZ) + RATE_HZ
    out = rng.normal(size=n) * 10 ** (-66 / 20)
    begun: set[int] = set()
    for place in range(bars * 16):
        at = round((0.2 + place * step) * RATE_HZ)
        played = [("drums", 0.8)] if place % 8 == 0 or (place % 16 == 10 and rng.random() < 0.6) else []
        played += [("ticks", 0.7)] if place % 8 == 4 else []
        played += [("ticks", 0.15 + 0.1 * rng.random())] if place % 2 == 0 and rng.random() < 0.9 else []
        for name, level in played:
            sound = HITS[name](rng) * level
            out[at : at + sound.size] += sound[: n - at]
            begun.add(at)
    return out, np.array(sorted(begun))
