"""What is heard: all tracks that sound mixed into one file, once, as long as the project; or one band of one track."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from threading import Lock

import soundfile

from fern_tide.core.base.signal import Float32Array, fingerprint
from fern_tide.core.base.units import from_db
from fern_tide.core.document import Project, Track
from fern_tide.core.sound.band_pass import VERSION as BAND_VERSION
from fern_tide.core.sound.band_pass import band_passed
from fern_tide.core.sound.mix import VERSION, MixTrack, mix_blocks, mix_rate_hz
from fern_tide.workflows.studio import Studio

_LOCK = Lock()


def heard_key(project: Project) -> str | None:
    """Give the fingerprint of what is heard, or None when nothing is."""
    heard = [(track.media, track.offset_samples, track.gain_db) for track in project.heard]
    return _key(project, {"tracks": heard}) if heard else None


def band_key(project: Project, track: Track, *, low_hz: float, high_hz: float) -> str:
    """Give the fingerprint of a band of a track, alone."""
    band = [round(low_hz, 3), round(high_hz, 3), BAND_VERSION]
    return _key(project, {"tracks": [(track.media, track.offset_samples, 0.0)], "band": band})


def _key(project: Project, made_of: dict[str, object]) -> str:
    seconds = project.rate.seconds(project.n_frames)
    length = f"{seconds.numerator}/{seconds.denominator}"
    return fingerprint({"stage": "mix", "version": VERSION, "length": length, **made_of})


def heard_file(studio: Studio, project: Project) -> Path | None:
    """Give the file of what is heard, 16-bit stereo WAV, making it where it is not there; None when nothing is."""
    key = heard_key(project)
    return None if key is None else _file(studio, project, key, project.heard)


def kept_file(studio: Studio, key: str) -> Path | None:
    """Give the file of something that was heard, or None when it was not kept."""
    if len(key) != 64 or not set(key) <= set("0123456789abcdef"):
        return None
    return studio.derived.path(key, suffix=".wav") if studio.derived.has(key, suffix=".wav") else None


def band_file(studio: Studio, project: Project, track: Track, *, low_hz: float, high_hz: float) -> Path:
    """Give the file of a band of a track, at the track's own level, making it where it is not there."""
    key = band_key(project, track, low_hz=low_hz, high_hz=high_hz)
    plain = track.model_copy(update={"gain_db": 0.0})
    return _file(studio, project, key, (plain,), band_hz=(low_hz, high_hz))


def _file(
    studio: Studio, project: Project, key: str, tracks: tuple[Track, ...], band_hz: tuple[float, float] | None = None
) -> Path:
    with _LOCK:
        if not studio.derived.has(key, suffix=".wav"):
            _write(studio, project, key, tracks, band_hz)
    return studio.derived.path(key, suffix=".wav")


def _write(
    studio: Studio, project: Project, key: str, heard: tuple[Track, ...], band_hz: tuple[float, float] | None
) -> None:
    rate_hz = mix_rate_hz([track.info for track in heard])
    n_samples = -(-project.rate.seconds(project.n_frames) * rate_hz // 1)
    opened = [studio.media.open(track.media) for track in heard]
    try:
        tracks = [
            MixTrack(stream, track.info, track.offset_samples, from_db(track.gain_db))
            for stream, track in zip(opened, heard, strict=True)
        ]
        mixed: Iterator[Float32Array] = mix_blocks(tracks, rate_hz=rate_hz, n_samples=int(n_samples))
        if band_hz is not None:
            mixed = band_passed(mixed, low_hz=band_hz[0], high_hz=band_hz[1], sample_rate_hz=rate_hz)
        with (
            studio.derived.writing(key, suffix=".wav") as out,
            soundfile.SoundFile(out, "w", samplerate=rate_hz, channels=2, format="WAV", subtype="PCM_16") as target,
        ):
            for block in mixed:
                target.write(block.T)
    finally:
        for stream in opened:
            stream.close()
