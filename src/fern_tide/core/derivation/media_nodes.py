"""Nodes of sounds: files, the features that are read from them, their hits and beats, and the project's beat grid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray, fingerprint
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beat_grid import beat_grid
from fern_tide.core.envelope.beats import NO_BEATS, Beats, rhythm
from fern_tide.core.envelope.beats import VERSION as BEATS_VERSION
from fern_tide.core.envelope.hit_edits import HitEdit, edited
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.sound.band_reading import band_power
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import (
    VERSION,
    AttacksFeature,
    BandsFeature,
    Feature,
    OffGrid,
    RisesFeature,
    SpectrumFeature,
)
from fern_tide.core.sound.grid import FrameGrid

RHYTHM_FEATURES: tuple[OffGrid, ...] = (RisesFeature(), AttacksFeature())
"""What hits and beats are found in."""


@dataclass(frozen=True)
class PlacedSound:
    """A sound file, and how a project's frames lie over it.

    Attributes:
        media: the file's hash.
        info: what it holds, as measured.
        rate: the project's frame rate.
        offset_samples: how much later than the project it begins, in its own samples.
    """

    media: str
    info: SoundInfo
    rate: FrameRate
    offset_samples: int

    @property
    def grid(self) -> FrameGrid:
        """The project's frames over it."""
        return FrameGrid(self.rate, self.info.sample_rate_hz, self.info.n_samples, self.offset_samples)


def _stored(values: list[Any], sources: Sources) -> Any:
    raise RuntimeError("what is stored is asked of its source")


def media_node(media: str, *, name: str = "") -> Node:
    """Give the node of a file, by its hash."""
    return new_node(Kind.MEDIA, media, name=name, facts={"media": media}, work=lambda values, sources: media)


def feature_node(feature: Feature, sound: PlacedSound, *, name: str = "", media: Node | None = None) -> Node:
    """Give the node of a feature of a file."""
    facts: dict[str, Any] = {"feature": feature.model_dump(mode="json"), "version": VERSION}
    if not isinstance(feature, OffGrid):
        facts |= {"rate": str(sound.rate), "offset": sound.offset_samples}
    file = media or media_node(sound.media, name=name)
    kind = feature.model_dump_json()
    return new_node(Kind.FEATURE, kind, name=name, inputs=(file,), facts=facts, work=_stored, subject=(feature, sound))


def rhythm_node(sound: PlacedSound, *, name: str = "", media: Node | None = None) -> Node:
    """Give the node of a file's hits and beats."""
    inputs = tuple(feature_node(item, sound, name=name, media=media) for item in RHYTHM_FEATURES)
    facts = {"version": BEATS_VERSION}

    def work(values: list[Float32Array], sources: Sources) -> tuple[Hits, Beats]:
        rises, attacks = (np.asarray(item, dtype=np.float32) for item in values)
        return rhythm(rises, attacks, sample_rate_hz=sound.info.sample_rate_hz)

    return new_node(Kind.RHYTHM, sound.media, name=name, inputs=inputs, facts=facts, work=work, subject=sound)


def edited_rhythm_node(heard: Node, edits: tuple[HitEdit, ...]) -> Node:
    """Give the node of a file's hits as they are edited by hand, and its beats as they are."""
    facts = {"edits": [edit.model_dump(mode="json") for edit in edits]}

    def work(values: list[tuple[Hits, Beats]], sources: Sources) -> tuple[Hits, Beats]:
        hits, beats = values[0]
        laid = edited(hits, edits)
        return Hits(laid.times_s, laid.strengths), beats

    name = f"{heard.id} {fingerprint(facts)[:8]}"  # hits that are edited otherwise are others
    return new_node(Kind.RHYTHM, name, name=heard.name, inputs=(heard,), facts=facts, work=work)


def rough_node(bands: Node, spectrum: Node, *, edges_hz: FloatArray) -> Node:
    """Give the node of bands that are cut out of a spectrum which is there, while their own reading is not.

    Args:
        bands: the node of a BandsFeature.
        spectrum: the node of a SpectrumFeature of the same file.
        edges_hz: of the spectrum's columns.
    """
    feature = bands.subject[0]
    facts = {"feature": feature.model_dump(mode="json"), "roughly": True}

    def work(values: list[Float32Array], sources: Sources) -> Float32Array:
        power = band_power(np.asarray(values[0]), edges_hz, cuts_hz=np.asarray(feature.cuts_hz))
        return np.asarray(power, dtype=np.float32)

    return new_node(Kind.FEATURE, bands.id, name=bands.name, inputs=(spectrum,), facts=facts, work=work)


def spectrum_of(bands: BandsFeature) -> SpectrumFeature:
    """Give the spectrum out of which bands can be cut roughly."""
    return SpectrumFeature(channel=bands.channel, window=bands.window)


def beats_node(project: Project, found_in: Node | None, track: Track | None) -> Node:
    """Give the node of the project's beat grid, as it is found in a track and corrected."""
    offset_s = float(track.offset) if track is not None and found_in is not None else 0.0
    setting, duration_s = project.beat, float(project.rate.duration_s(project.n_frames))
    facts = {"beat": setting.model_dump(mode="json", exclude={"track"}), "offset": offset_s, "duration": duration_s}

    def work(values: list[tuple[Hits, Beats]], sources: Sources) -> Beats:
        detected = values[0][1] if values else NO_BEATS
        return beat_grid(setting, detected, offset_s=offset_s, duration_s=duration_s)

    return new_node(Kind.BEATS, "beats", inputs=() if found_in is None else (found_in,), facts=facts, work=work)
