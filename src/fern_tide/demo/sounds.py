"""'Rain on Panes' and its stems, made from nothing with a fixed seed: the same bytes on every machine of one kind."""

from __future__ import annotations

import io
from typing import Final

import numpy as np
import soundfile

from fern_tide.core.base.signal import FloatArray

SAMPLE_RATE_HZ: Final = 44_100
BPM: Final = 92.0
BARS: Final = 17
BEAT_S: Final = 60.0 / BPM
LENGTH_S: Final = BARS * 4 * BEAT_S + 0.6
SEED: Final = 20_261_124
STEMS: Final = ("Drip", "Panes", "Reed")


def stems() -> dict[str, FloatArray]:
    """Make the three stems.

    Returns:
        By name: Drip (low pulses), Panes (high ticks), Reed (a slow pad); each of shape (2, samples).
    """
    rng = np.random.default_rng(SEED)
    return {"Drip": _drip(rng), "Panes": _panes(rng), "Reed": _reed(rng)}


def mix(parts: dict[str, FloatArray]) -> FloatArray:
    """Mix the stems with a little rain behind them; shape (2, samples)."""
    rng = np.random.default_rng(SEED + 1)
    rain = rng.normal(size=(2, _n())) * 0.004
    return np.clip(0.8 * parts["Drip"] + 0.75 * parts["Panes"] + 0.7 * parts["Reed"] + rain, -1.0, 1.0)


def wav_bytes(sound: FloatArray) -> bytes:
    """Write a sound as 16-bit WAV."""
    out = io.BytesIO()
    soundfile.write(out, sound.T, SAMPLE_RATE_HZ, format="WAV", subtype="PCM_16")
    return out.getvalue()


def _n() -> int:
    return round(LENGTH_S * SAMPLE_RATE_HZ)


def _add(out: FloatArray, at_s: float, hit: FloatArray, pan: float) -> None:
    start = round(at_s * SAMPLE_RATE_HZ)
    length = min(hit.size, out.shape[1] - start)
    if length > 0:
        out[0, start : start + length] += hit[:length] * np.sqrt(0.5 - pan / 2) * 1.3
        out[1, start : start + length] += hit[:length] * np.sqrt(0.5 + pan / 2) * 1.3


def _drip(rng: np.random.Generator) -> FloatArray:
    """A low drum: on one and three, with a pick-up before every other bar."""
    out = np.zeros((2, _n()))
    t = np.arange(round(0.42 * SAMPLE_RATE_HZ)) / SAMPLE_RATE_HZ
    for bar in range(BARS):
        beats = [(0.0, 0.95), (2.0, 0.7)]
        beats += [(2.75, 0.5), (3.5, 0.6)] if bar % 2 else [(1.5, 0.45)]
        for beat, strength in beats:
            pitch = 52.0 + 95.0 * np.exp(-t / 0.028)
            tone = np.sin(2 * np.pi * np.cumsum(pitch) / SAMPLE_RATE_HZ)
            hit = strength * 0.72 * tone * np.exp(-t / 0.11) * np.minimum(1.0, t / 0.002)
            _add(out, (bar * 4 + beat) * BEAT_S, hit, float(rng.uniform(-0.08, 0.08)))
    return out


def _panes(rng: np.random.Generator) -> FloatArray:
    """High ticks of rain on glass, in eighths and sixteenths from the third bar on."""
    out = np.zeros((2, _n()))
    t = np.arange(round(0.09 * SAMPLE_RATE_HZ)) / SAMPLE_RATE_HZ
    for bar in range(2, BARS - 1):
        for eighth in range(8):
            times = [eighth / 2.0] + ([eighth / 2.0 + 0.25] if rng.random() < 0.3 else [])
            for beat in times:
                pitch = float(rng.choice([5200.0, 6100.0, 7400.0, 8800.0]))
                strength = (0.42 if eighth % 2 else 0.26) * float(rng.uniform(0.75, 1.1))
                tick = np.sin(2 * np.pi * pitch * t) + 0.6 * rng.normal(size=t.size)
                shaped = strength * 0.5 * tick * np.exp(-t / 0.013) * np.minimum(1.0, t / 0.0006)
                _add(out, (bar * 4 + beat) * BEAT_S, shaped, float(rng.uniform(-0.8, 0.8)))
    return out


def _reed(rng: np.random.Generator) -> FloatArray:
    """A slow pad of three soft chords that swell and sink over two bars each."""
    n = _n()
    out = np.zeros((2, n))
    chords = ((220.0, 277.18, 329.63), (196.0, 246.94, 293.66), (174.61, 220.0, 261.63), (196.0, 261.63, 329.63))
    span = 8 * BEAT_S
    for index in range(1, BARS // 2):
        first, last = round(index * span * SAMPLE_RATE_HZ), min(n, round((index + 1) * span * SAMPLE_RATE_HZ))
        t = np.arange(last - first) / SAMPLE_RATE_HZ
        swell = 0.09 * np.sin(np.pi * np.minimum(1.0, t / span)) ** 1.6
        for hz in chords[index % len(chords)]:
            drift = 1.0 + 0.0015 * np.sin(2 * np.pi * 0.21 * t + rng.uniform(0, 6.28))
            phase = 2 * np.pi * np.cumsum(hz * drift) / SAMPLE_RATE_HZ
            tone = np.sin(phase) + 0.35 * np.sin(2 * phase) + 0.12 * np.sin(3 * phase)
            side = float(rng.uniform(-0.4, 0.4))
            out[0, first:last] += swell * tone * (1 - side)
            out[1, first:last] += swell * tone * (1 + side)
    return out
