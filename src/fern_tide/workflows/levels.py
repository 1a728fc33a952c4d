"""Levels of envelopes and lifts of mappings, remembered by fingerprint so that nothing is computed twice."""

from __future__ import annotations

from collections import Counter, OrderedDict
from copy import copy
from threading import Lock
from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray, fingerprint, frozen
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope, clean, followed_level, needs, read_raw, row_of
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.mapping.mapping import Mapping, shaped_lift
from fern_tide.core.mapping.marks import Scale, histogram
from fern_tide.core.mapping.step import StepContext
from fern_tide.workflows.analysis import NotAnalyzedYet, StoredFeatures, stored_rhythm, track_feature_key
from fern_tide.workflows.source import (
    ProjectSource,
    beats_made_of,
    hit_track,
    hits_made_of,
    project_beats,
    step_context,
)
from fern_tide.workflows.studio import Studio

_REMEMBERED_BYTES = 384 << 20  # 200 mappings of a 5-minute song at 60 fps


class Levels:
    """Raw and cleaned levels, and lifts; a raw level outlives changes of its clean-up, so that tuning stays fast."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._held: OrderedDict[str, FloatArray] = OrderedDict()
        self._lock = Lock()
        self._rough = False
        self._tally = Counter[str]()  # shared with what is under the hand, as all but one attribute is

    @property
    def computed(self) -> int:
        """How many levels and lifts were computed rather than remembered."""
        return self._tally["computed"]

    @property
    def under_the_hand(self) -> Levels:
        """The same levels, for what is tried but not stored: a narrow band is read roughly where it is not read yet."""
        rough = copy(self)
        rough._rough = True
        return rough

    def raw(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level before clean-up, (frames,) or (rows, frames); silent when its track does not drive.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = self._raw_key(project, envelope)
        held = self._get(key)
        if held is not None:
            return held
        track = None if envelope.track is None or not envelope.reading.spec.of_track else project.track(envelope.track)
        raw = read_raw(envelope.reading, self._source(project, track))
        return self._put(key, raw if track is None or track.drives else raw * 0.0)

    def rhythm(self, project: Project, track: Track) -> tuple[Hits, Beats]:
        """Give a track's hits and beats, in seconds of the track.

        Raises:
            NotAnalyzedYet: they are still being found.
        """
        return stored_rhythm(self._studio, track, project.rate)

    def beats(self, project: Project) -> Beats:
        """Give the project's beat grid.

        Raises:
            NotAnalyzedYet: the beats of its track are still being found.
        """
        return project_beats(project, lambda track: self.rhythm(project, track))

    def _source(self, project: Project, track: Track | None) -> ProjectSource:
        return ProjectSource(
            project,
            track,
            feature=lambda of, feature: StoredFeatures(self._studio, of, project.rate, rough=self._rough).get(feature),
            rhythm=lambda of: self.rhythm(project, of),
            level=lambda envelope: self.cleaned(project, envelope),
            media=self._studio.media.read,
        )

    def cleaned(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level after clean-up, shape (frames,), or (rows, frames) for a bank.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = self._cleaned_key(project, envelope)
        held = self._get(key)
        if held is not None:
            return held
        raw = self.raw(project, envelope)
        return self._put(key, clean(raw, envelope.clean_up, rate=project.rate))

    def followed(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give the level that a mapping follows, shape (frames,): its envelope's, a bank's row, or the highest of all.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        level = self.cleaned(project, project.envelope(mapping.envelope))
        return followed_level(level, row=mapping.row, spread=mapping.spread)

    def ready(self, project: Project, mapping: Mapping) -> bool:
        """Say whether a mapping's level can be read now; where not, its analysis is asked for."""
        try:
            for name in (mapping.envelope, *mapping.uses):
                self.raw(project, project.envelope(name))
            if mapping.needs_hits and (track := hit_track(project, mapping)) is not None:
                self.rhythm(project, track)
            if mapping.needs_beats:
                self.beats(project)
        except NotAnalyzedYet:
            return False
        return True

    def lift(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give a mapping's lift after its steps, shape (frames,), or (rows, frames) where it is spread over a bank.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        envelope = project.envelope(mapping.envelope)
        steps = [(choice.spec.version, choice.model_dump(mode="json")) for choice in mapping.steps if choice.on]
        marks = mapping.marks.model_dump(mode="json")
        made_of: dict[str, Any] = {
            "marks": marks,
            "steps": steps,
            "seed": mapping.seed,
            "row": mapping.row,
            "spread": mapping.spread,
        }
        made_of["hits"] = hits_made_of(project, mapping)
        made_of["joined"] = [self._cleaned_key(project, project.envelope(name)) for name in mapping.uses]
        key = fingerprint({"level": self._cleaned_key(project, envelope), "rate": str(project.rate), **made_of})
        held = self._get(key)
        if held is not None:
            return held
        level, context = self.given(project, mapping)
        return self._put(key, shaped_lift(level, mapping, context=context))

    def given(self, project: Project, mapping: Mapping) -> tuple[FloatArray, StepContext]:
        """Give what a mapping's lift is made of: its level, (rows, frames) where it is spread, and what its steps know.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        context = step_context(
            project,
            mapping,
            rhythm=lambda track: self.rhythm(project, track),
            level=lambda envelope: self.cleaned(project, envelope),
        )
        spread = mapping.spread
        level = self.cleaned(project, project.envelope(mapping.envelope)) if spread else self.followed(project, mapping)
        return level, context

    def histogram(
        self, project: Project, envelope: Envelope, *, scale: Scale, row: int = 0
    ) -> tuple[FloatArray, float, float]:
        """Give how often an envelope's cleaned level, or a row of it, is how high; see core/mapping/marks.py.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = fingerprint({"histogram": self._cleaned_key(project, envelope), "scale": str(scale), "row": row})
        held = self._get(key)
        if held is None:
            counts, low, high = histogram(row_of(self.cleaned(project, envelope), row), scale=scale)
            held = self._put(key, np.concatenate([counts, [low, high]]))
        return held[:-2], float(held[-2]), float(held[-1])

    def _cleaned_key(self, project: Project, envelope: Envelope) -> str:
        steps = [(choice.spec.version, choice.model_dump(mode="json")) for choice in envelope.clean_up if choice.on]
        return fingerprint({"raw": self._raw_key(project, envelope), "rate": str(project.rate), "clean_up": steps})

    def _raw_key(self, project: Project, envelope: Envelope) -> str:
        reading = envelope.reading
        made_of = {
            "stage": "envelope",
            "version": reading.spec.version,
            "reading": reading.model_dump(mode="json"),
            "rate": str(project.rate),
            "n_frames": project.n_frames,
            "uses": [self._cleaned_key(project, project.envelope(name)) for name in envelope.uses],
            "beats": beats_made_of(project) if reading.spec.on_beats else None,
        }
        if envelope.track is not None and reading.spec.of_track:
            track = project.track(envelope.track)
            made_of["features"] = [track_feature_key(item, track, project.rate) for item in needs(reading, track.info)]
            made_of["drives"], made_of["offset"] = track.drives, str(track.offset)
            missing = [key for key in made_of["features"] if self._rough and not self._studio.derived.has(key)]
            if missing:
                made_of["missing"] = missing
        return fingerprint(made_of)

    def _get(self, key: str) -> FloatArray | None:
        with self._lock:
            held = self._held.get(key)
            if held is not None:
                self._held.move_to_end(key)
            return held

    def _put(self, key: str, values: FloatArray) -> FloatArray:
        with self._lock:
            self._tally["computed"] += 1
            before = self._held.pop(key, None)
            kept = self._held[key] = frozen(np.ascontiguousarray(values))
            self._tally["bytes"] += kept.nbytes - (before.nbytes if before is not None else 0)
            while self._tally["bytes"] > _REMEMBERED_BYTES and len(self._held) > 1:
                self._tally["bytes"] -= self._held.popitem(last=False)[1].nbytes
            return kept
