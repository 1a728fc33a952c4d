"""What the Sound room shows of a track's spectrum, kept under its fingerprint."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray, fingerprint
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.bands import NamedBand, suggest_bands
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrogram import VERSION, Picture, average, picture
from fern_tide.core.sound.spectrum import Part, Window
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio

SHOWN = SpectrumFeature(channel=Channel.MID, window=Window.BALANCED)
SHOWN_LOW = SpectrumFeature(channel=Channel.MID, window=Window.FINE, part=Part.LOWS)


def spectrogram(studio: Studio, levels: Levels, project: Project, track: Track) -> tuple[Picture, FloatArray]:
    """Give a track's picture, shape (ROWS, frames), and its average, shape (ROWS,); see core/sound/spectrogram.py.

    Raises:
        NotAnalyzedYet: the track's spectrum is still being read.
    """
    made_of = levels.graph(project).feature(track, SHOWN)
    key = fingerprint({"stage": "spectrogram", "version": VERSION, "spectrum": made_of.fingerprint})
    mean_key = fingerprint({"average of": key})
    stored, mean = studio.derived.get(key), studio.derived.get(mean_key)
    if stored is None or mean is None:
        drawn = picture(_spectrum(levels, project, track, SHOWN), _spectrum(levels, project, track, SHOWN_LOW))
        studio.derived.put(key, drawn)
        studio.derived.put(mean_key, average(drawn))
        return drawn, average(drawn)
    return np.asarray(stored, dtype=np.uint8), np.asarray(mean, dtype=np.float64)


def suggested(levels: Levels, project: Project, track: Track) -> tuple[NamedBand, ...]:
    """Suggest bands of a track.

    Raises:
        NotAnalyzedYet: the track's spectrum is still being read.
    """
    return suggest_bands(*_spectrum(levels, project, track, SHOWN))


def _spectrum(
    levels: Levels, project: Project, track: Track, feature: SpectrumFeature
) -> tuple[Float32Array, FloatArray]:
    edges = feature.edges_hz(track.info.sample_rate_hz)
    return levels.feature(project, track, feature), edges
