"""Levels of envelopes and lifts of mappings, remembered by fingerprint so that nothing is computed twice."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import numpy as np

from fern_tide.core.base.signal import FloatArray, fingerprint, frozen
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, clean, needs, read_raw
from fern_tide.core.mapping.mapping import Mapping, shaped_lift
from fern_tide.core.mapping.marks import Scale, histogram
from fern_tide.workflows.analysis import NotAnalyzedYet, StoredFeatures, track_feature_key
from fern_tide.workflows.studio import Studio

_REMEMBERED = 400


class Levels:
    """Raw and cleaned levels, and lifts; a raw level outlives changes of its clean-up, so that tuning stays fast.

    Attributes:
        computed: how many levels and lifts were computed rather than remembered.
    """

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._held: OrderedDict[str, FloatArray] = OrderedDict()
        self._lock = Lock()
        self.computed = 0

    def raw(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level before clean-up, shape (frames,); silent when its track does not drive.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = self._raw_key(project, envelope)
        held = self._get(key)
        if held is not None:
            return held
        track = project.track(envelope.track)
        if not track.drives:
            return self._put(key, np.zeros(project.n_frames))
        features = StoredFeatures(self._studio, track, project.rate)
        return self._put(key, read_raw(envelope.reading, features, n_frames=project.n_frames))

    def cleaned(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level after clean-up, shape (frames,).

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = self._cleaned_key(project, envelope)
        held = self._get(key)
        if held is not None:
            return held
        raw = self.raw(project, envelope)
        return self._put(key, clean(raw, envelope.clean_up, rate=project.rate))

    def ready(self, project: Project, mapping: Mapping) -> bool:
        """Say whether a mapping's level can be read now; where not, its analysis is asked for."""
        try:
            self.raw(project, project.envelope(mapping.envelope))
        except NotAnalyzedYet:
            return False
        return True

    def lift(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give a mapping's lift after its steps, shape (frames,).

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        envelope = project.envelope(mapping.envelope)
        steps = [(choice.spec.version, choice.model_dump(mode="json")) for choice in mapping.steps if choice.on]
        made_of = {"marks": mapping.marks.model_dump(mode="json"), "steps": steps, "seed": mapping.seed}
        key = fingerprint({"level": self._cleaned_key(project, envelope), "rate": str(project.rate), **made_of})
        held = self._get(key)
        if held is not None:
            return held
        return self._put(key, shaped_lift(self.cleaned(project, envelope), mapping, rate=project.rate))

    def histogram(self, project: Project, envelope: Envelope, *, scale: Scale) -> tuple[FloatArray, float, float]:
        """Give how often an envelope's cleaned level is how high; see core/mapping/marks.py.

        Raises:
            NotAnalyzedYet: the track's features are still being read.
        """
        key = fingerprint({"histogram": self._cleaned_key(project, envelope), "scale": str(scale)})
        held = self._get(key)
        if held is None:
            counts, low, high = histogram(self.cleaned(project, envelope), scale=scale)
            held = self._put(key, np.concatenate([counts, [low, high]]))
        return held[:-2], float(held[-2]), float(held[-1])

    def _cleaned_key(self, project: Project, envelope: Envelope) -> str:
        steps = [(choice.spec.version, choice.model_dump(mode="json")) for choice in envelope.clean_up if choice.on]
        return fingerprint({"raw": self._raw_key(project, envelope), "rate": str(project.rate), "clean_up": steps})

    def _raw_key(self, project: Project, envelope: Envelope) -> str:
        track = project.track(envelope.track)
        features = [track_feature_key(item, track, project.rate) for item in needs(envelope.reading, track.info)]
        reading = envelope.reading
        return fingerprint(
            {
                "stage": "envelope",
                "version": reading.spec.version,
                "reading": reading.model_dump(mode="json"),
                "features": features,
                "drives": track.drives,
                "n_frames": project.n_frames,
            }
        )

    def _get(self, key: str) -> FloatArray | None:
        with self._lock:
            held = self._held.get(key)
            if held is not None:
                self._held.move_to_end(key)
            return held

    def _put(self, key: str, values: FloatArray) -> FloatArray:
        with self._lock:
            self.computed += 1
            self._held[key] = frozen(np.ascontiguousarray(values))
            while len(self._held) > _REMEMBERED:
                self._held.popitem(last=False)
            return values
