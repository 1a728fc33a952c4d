"""What is heard: all heard tracks mixed into one file, once, as long as the project."""

from __future__ import annotations

from pathlib import Path
from threading import Lock

import soundfile

from fern_tide.core.base.signal import fingerprint
from fern_tide.core.document import Project
from fern_tide.core.sound.mix import VERSION, MixTrack, mix_blocks, mix_rate_hz
from fern_tide.workflows.studio import Studio

_LOCK = Lock()


def heard_key(project: Project) -> str | None:
    """Give the fingerprint of what is heard, or None when nothing is."""
    heard = [(track.media, track.offset_samples) for track in project.tracks if track.heard]
    if not heard:
        return None
    seconds = project.rate.seconds(project.n_frames)
    length = f"{seconds.numerator}/{seconds.denominator}"
    return fingerprint({"stage": "mix", "version": VERSION, "tracks": heard, "length": length})


def heard_file(studio: Studio, project: Project) -> Path | None:
    """Give the file of what is heard, 16-bit stereo WAV, making it where it is not there; None when nothing is."""
    key = heard_key(project)
    if key is None:
        return None
    with _LOCK:
        if not studio.derived.has(key, suffix=".wav"):
            _write(studio, project, key)
    return studio.derived.path(key, suffix=".wav")


def _write(studio: Studio, project: Project, key: str) -> None:
    heard = [track for track in project.tracks if track.heard]
    rate_hz = mix_rate_hz([track.info for track in heard])
    n_samples = -(-project.rate.seconds(project.n_frames) * rate_hz // 1)
    opened = [studio.media.open(track.media) for track in heard]
    try:
        tracks = [
            MixTrack(stream, track.info, track.offset_samples) for stream, track in zip(opened, heard, strict=True)
        ]
        with (
            studio.derived.writing(key, suffix=".wav") as out,
            soundfile.SoundFile(out, "w", samplerate=rate_hz, channels=2, format="WAV", subtype="PCM_16") as target,
        ):
            for block in mix_blocks(tracks, rate_hz=rate_hz, n_samples=int(n_samples)):
                target.write(block.T)
    finally:
        for stream in opened:
            stream.close()
