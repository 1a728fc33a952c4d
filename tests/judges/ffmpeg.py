"""The ffmpeg program, as another pair of ears."""

from __future__ import annotations

import io
import subprocess
from pathlib import Path

import numpy as np
import soundfile

from fern_tide.core.sound.decode import blocks


def ffmpeg(*arguments: str, given: bytes = b"") -> bytes:
    """Run ffmpeg and give what it writes to its output."""
    done = subprocess.run(["ffmpeg", "-v", "error", "-y", *arguments], input=given, capture_output=True, check=True)
    return done.stdout


def encoded(x: np.ndarray, folder: Path, name: str, *options: str, before: tuple[str, ...] = ()) -> bytes:
    """Encode samples of shape (channels, n) at 48 kHz into a file of that name, and give its bytes."""
    source, target = folder / "source.wav", folder / name
    soundfile.write(source, np.atleast_2d(x).T, 48_000, subtype="PCM_16")
    ffmpeg(*before, "-i", str(source), *options, str(target))
    return target.read_bytes()


def decoded(content: bytes) -> np.ndarray:
    """Decode a sound with Fern Tide, shape (channels, samples)."""
    return np.concatenate(list(blocks(io.BytesIO(content))), axis=1)


def lag(heard: np.ndarray, sent: np.ndarray) -> int:
    """Give how many samples later a signal is heard than it was sent, by correlation."""
    n = 1 << (len(heard) + len(sent)).bit_length()
    together = np.fft.irfft(np.fft.rfft(heard, n) * np.conj(np.fft.rfft(sent, n)), n)
    at = int(np.argmax(together))
    return at if at < n // 2 else at - n
