"""Levels of a project's envelopes, remembered by fingerprint so that nothing is computed twice."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import numpy as np

from fern_tide.core.base.signal import FloatArray, fingerprint, frozen
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, clean, needs, read_raw
from fern_tide.workflows.analysis import StoredFeatures, track_feature_key
from fern_tide.workflows.studio import Studio

_REMEMBERED = 400


class Levels:
    """Raw and cleaned levels; a raw level outlives changes of its clean-up, so that tuning stays fast.

    Attributes:
        computed: how many levels were computed, not remembered; for tests of 'nothing recomputes what has not changed'.
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
        steps = [(choice.spec.version, choice.model_dump(mode="json")) for choice in envelope.clean_up if choice.on]
        key = fingerprint({"raw": self._raw_key(project, envelope), "clean_up": steps})
        held = self._get(key)
        if held is not None:
            return held
        raw = self.raw(project, envelope)
        return self._put(key, clean(raw, envelope.clean_up, rate=project.rate))

    def used(self, project: Project) -> dict[str, FloatArray]:
        """Give the cleaned levels of all envelopes that unmuted mappings use, by envelope id."""
        names = dict.fromkeys(mapping.envelope for mapping in project.mappings if not mapping.muted)
        return {name: self.cleaned(project, project.envelope(name)) for name in names}

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
