"""Sounds that are made to be measured."""

from __future__ import annotations

import io

import numpy as np
import soundfile


def song(seconds: int = 240, *, channels: int = 2) -> bytes:
    noise = np.random.default_rng(1).normal(size=(44_100 * seconds, channels)).astype(np.float32) * 0.1
    out = io.BytesIO()
    soundfile.write(out, noise, 44_100, format="WAV", subtype="PCM_16")
    return out.getvalue()


def clean_drums(bpm: float, *, beats: int = 64, rate_hz: int = 44_100) -> tuple[bytes, list[float]]:
    rng, gap = np.random.default_rng(int(bpm)), 60.0 / bpm
    sound, truth = rng.normal(size=int((beats + 2) * gap * rate_hz)) * 1e-4, []
    t = np.arange(rate_hz // 4) / rate_hz
    kick = np.sin(2 * np.pi * (50 * t + 1 - np.exp(-30 * t))) * np.exp(-t / 0.08)
    for beat in range(beats):
        at = round((0.5 + beat * gap) * rate_hz)
        truth.append(at / rate_hz)
        hit = kick if beat % 2 == 0 else rng.normal(size=t.size) * np.exp(-t / 0.05) * 0.5
        sound[at : at + t.size] += 0.6 * hit
        off = at + round(gap / 2 * rate_hz)
        sound[off : off + 1200] += rng.normal(size=1200) * np.exp(-np.arange(1200) / 350) * 0.12
    out = io.BytesIO()
    soundfile.write(out, sound, rate_hz, format="WAV", subtype="PCM_16")
    return out.getvalue(), truth
