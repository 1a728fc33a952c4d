"""A live run: the sound comes in stretches of any length, the curves of its latest frame come out."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fern_tide.core.bake.bake import driven
from fern_tide.core.base.order import in_order
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, highest_row, needs
from fern_tide.core.envelope.hits import USUAL_GAP_MS, USUAL_SENSITIVITY
from fern_tide.core.envelope.live_hits import HitsAsTheySound
from fern_tide.core.live.curves import MOST_BACK_FRAMES, LiveCurves
from fern_tide.core.live.ears import ComingSound, Ear
from fern_tide.core.live.lifts import LiveLift
from fern_tide.core.live.sprays import LiveSpray, thrown_arrays
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.sound.features import RisesFeature
from fern_tide.core.sound.live_sound import LiveSound

_LOW_HZ, _HIGH_HZ = 20.0, 20_000.0


@dataclass(frozen=True)
class Lag:
    """How late an envelope is live, and what it does otherwise than with a whole sound.

    Attributes:
        name: of the envelope or mapping.
        lag_ms: how late; 0 of a mapping.
        words: one sentence each.
    """

    name: str
    lag_ms: float
    words: tuple[str, ...]


class LiveRun:
    """Moves a project by what comes.

    Args:
        project: the document; muted mappings rest, touch-ups are of the song and left out.
        sample_rate_hz: of what comes.
        channels: how many it has.
        track: the track in whose place it is; None is every track.
        beat_times_s: the project's beats, for steps that are counted in them.
    """

    def __init__(
        self,
        project: Project,
        *,
        sample_rate_hz: int,
        channels: int,
        track: str | None = None,
        beat_times_s: FloatArray | None = None,
    ) -> None:
        self.project = project
        self._beats = np.zeros(0) if beat_times_s is None else beat_times_s
        mappings = [mapping for mapping in project.mappings if not mapping.muted]
        self._moved = LiveCurves.of(project, driven(project.scene, mappings))
        self.stacks, self.back_frames = self._moved.stacks, self._moved.back_frames
        self._sprays = [LiveSpray(part, rate=project.rate) for part in thrown_arrays(project.scene)]
        sound = LiveSound(project.rate, sample_rate_hz=sample_rate_hz, channels=channels)
        self._source = ComingSound(project.rate, sound)
        self._needs_hits = any(mapping.needs_hits for mapping in mappings)
        self._ears = [
            Ear(envelope, self._source, hears=_hears(project, envelope.track, track))
            for envelope in map(project.envelope, _wanted(project))
        ]
        sound.look_back(2.0 * max((0.0, *(ear.lag_frames for ear in self._ears))) + 1.0)
        self._lifts = {
            mapping.id: LiveLift(mapping, self._context(mapping.seed), back_frames=self.back_frames)
            for mapping in mappings
        }
        self._hits = HitsAsTheySound(
            low_hz=_LOW_HZ,
            high_hz=_HIGH_HZ,
            sensitivity=USUAL_SENSITIVITY,
            least_gap_s=USUAL_GAP_MS / 1000.0,
            sample_rate_hz=sample_rate_hz,
        )
        self._curves: dict[Target, FloatArray] | None = None
        self._frames_of_curves = 0
        self.flown: dict[str, float] = {}
        """How many drops of each spray left before the first frame of the curves."""
        features = {item for ear in self._ears if ear.hears for item in needs(ear.envelope.reading, self._source.info)}
        sound.listen_for(features | ({RisesFeature()} if self._needs_hits else set()))
        cut = self._moved.wanted_frames > MOST_BACK_FRAMES
        self.late_words = f"Nothing is later than {MOST_BACK_FRAMES} frames live." if cut else ""

    @property
    def channels(self) -> int:
        """How many channels come."""
        return self._source.sound.channels

    @property
    def hearing(self) -> list[Envelope]:
        """The envelopes that hear what comes."""
        return [ear.envelope for ear in self._ears if ear.hears]

    @property
    def frame(self) -> int:
        """The latest frame that is whole; -1 before the first."""
        return self._source.sound.last - 1

    @property
    def levels(self) -> dict[str, FloatArray]:
        """The cleaned levels of the frames that became whole with the last samples, by envelope."""
        return self._source.levels

    def lift(self, mapping_id: str) -> FloatArray:
        """Give a mapping's lift of the last frames, shape (back_frames + 1,), or (rows, ...) where it is spread."""
        return self._lifts[mapping_id].window

    def take(self, samples: Float32Array) -> dict[str, FloatArray] | None:
        """Take the next samples, shape (channels, samples).

        Returns:
            The lifts after the steps of the frames that became whole, by mapping, shape (frames,) or (rows, frames);
            None where none did.
        """
        source = self._source
        source.sound.take(samples)
        source.levels, self._curves = {}, None
        if not source.n_frames:
            return None
        for ear in self._ears:
            source.levels[ear.envelope.id] = ear.level(source)
        hits = self._hits_of_steps() if self._needs_hits else {}
        joined = {name: highest_row(level) for name, level in source.levels.items()}
        lifts = {}
        for name, live in self._lifts.items():
            context = replace(self._context(live.mapping.seed), levels=joined, **hits)
            lifts[name] = live.take(source.levels[live.mapping.envelope], context)
        return lifts

    def _hits_of_steps(self) -> dict[str, Any]:
        """Give what steps know of the hits that became known, where more than one is in a frame the strongest."""
        samples, strengths = self._hits(self._source.sound.rises)
        strongest: dict[int, float] = {}
        for frame, strength in zip(self._source.sound.frames_of(samples).tolist(), strengths, strict=True):
            strongest[frame] = max(strength, strongest.get(frame, 0.0))
        frames = np.array(list(strongest), dtype=np.int64)
        return {"hit_frames": frames, "hit_strengths": np.array(list(strongest.values()))}

    def curves(self) -> dict[Target, FloatArray]:
        """Give the values of every driven property over the last frames, shape (..., back_frames + 1)."""
        if self._curves is None:
            self._curves = curves = self._moved.values(self.lift)
            last = self._source.sound.last
            more, self._frames_of_curves = last - self._frames_of_curves, last
            n_frames = self.back_frames + 1
            self.flown = {spray.part_id: spray.left(curves, frames=n_frames, more=more) for spray in self._sprays}
        return self._curves

    def lags(self) -> list[Lag]:
        """Say how late every envelope is, and what envelopes and mappings do otherwise than with a whole sound."""
        ms = 1000.0 * self.project.rate.duration_s(1)
        ears = [Lag(ear.envelope.name, ear.lag_frames * ms, _once(ear.words)) for ear in self._ears]
        lifts = [Lag(live.mapping.name, 0.0, _once(live.words)) for live in self._lifts.values()]
        return [*ears, *(lag for lag in lifts if lag.words)]

    def _context(self, seed: int) -> StepContext:
        return StepContext(rate=self.project.rate, seed=seed, beat_times_s=self._beats)


def _hears(project: Project, own: str | None, chosen: str | None) -> bool:
    """Say whether an envelope of a track hears what comes in the place of a track, or of all."""
    return own is not None and project.track(own).drives and chosen in {None, own}


def _wanted(project: Project) -> list[str]:
    """List the envelopes that mappings that are not muted ask for, each after those that it is made of."""
    wanted = dict.fromkeys(
        name for mapping in project.mappings if not mapping.muted for name in (mapping.envelope, *mapping.uses)
    )
    return list(in_order(wanted, inputs=lambda name: project.envelope(name).uses))


def _once(words: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(filter(None, words)))
