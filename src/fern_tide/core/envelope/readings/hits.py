"""Hits: where the sound sets in."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Any

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.limits import Most
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import SECONDS, SHARE, OwnUnit
from fern_tide.core.envelope.edges import check_edges, pushed_edges
from fern_tide.core.envelope.hit_edits import MOST_EDITS, EditedHits, HitEdit, edited
from fern_tide.core.envelope.hits import USUAL_GAP_MS, USUAL_SENSITIVITY, Hits, find_hits, rise
from fern_tide.core.envelope.live_hits import HitsAsTheySound
from fern_tide.core.envelope.live_hits import lag_frames as live_lag
from fern_tide.core.envelope.reading import LiveRead, LiveSource, Reading, Source
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import AttacksFeature, RisesFeature
from fern_tide.core.sound.grid import Samples


class HitsGiven(StrEnum):
    """Pulses as strong as the hit, pulses all alike, or the time since the last hit."""

    PULSES = "pulses"
    EVEN = "even"
    TIMES = "times"


class HitsParams(Params):
    """Hits of which band, how readily, how close."""

    low_hz: Annotated[float, Field(ge=0, le=96_000), unit("Hz", "The band's lower edge.", step=1)] = 20.0
    high_hz: Annotated[float, Field(gt=0, le=96_000), unit("Hz", "The band's upper edge.", step=1)] = 20_000.0
    sensitivity: Annotated[
        float, Field(ge=0, le=1), unit("", "0 takes only the strongest, 1 nearly every one.", step=0.05)
    ] = USUAL_SENSITIVITY
    least_gap_ms: Annotated[float, Field(ge=10, le=5000), unit("ms", "No two hits are closer.", step=10)] = USUAL_GAP_MS
    given: Annotated[HitsGiven, unit("", "Pulses by strength, pulses all alike, or seconds since the last hit.")] = (
        HitsGiven.PULSES
    )
    edits: Annotated[
        tuple[HitEdit, ...],
        Most(MOST_EDITS),
        Field(exclude_if=lambda edits: not edits),
        unit("", "Hits that are edited by hand, in seconds of the track.", kind="hit_edits"),
    ] = ()

    @model_validator(mode="after")
    def _in_order(self) -> HitsParams:
        check_edges(self.low_hz, self.high_hz)
        return self

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Move the other edge out of the way."""
        return pushed_edges(self.low_hz, self.high_hz, field=field, value=value)


FEATURES = (RisesFeature(), AttacksFeature())


def needs(params: HitsParams, info: SoundInfo) -> tuple[RisesFeature | AttacksFeature, ...]:
    """Give the two features that hits are found in."""
    return FEATURES


def hits_of(params: HitsParams, source: Source) -> Hits:
    """Find the hits, in seconds of the track."""
    rate_hz = source.info.sample_rate_hz
    rises = rise(source.get(FEATURES[0]), low_hz=params.low_hz, high_hz=params.high_hz, sample_rate_hz=rate_hz)
    return find_hits(
        rises,
        source.get(FEATURES[1]),
        sample_rate_hz=rate_hz,
        sensitivity=params.sensitivity,
        least_gap_s=params.least_gap_ms / 1000.0,
    )


def hits(params: HitsParams, source: Source) -> EditedHits:
    """Give the hits with those that are edited by hand, in seconds of the project."""
    return edited(hits_of(params, source), params.edits, later_s=source.offset_s)


def read(params: HitsParams, source: Source) -> FloatArray:
    """Give one value per frame, shape (frames,).

    Pulses: the strength, 0 to 1, in the frame that owns a hit, else 0. Times: seconds since the last hit, 0 in its
    frame; before the first hit as if one were just before the start.
    """
    given = hits(params, source)
    frames = source.rate.frames_of_times(given.times_s)
    inside = (frames >= 0) & (frames < source.n_frames)
    return _Given(params)(frames[inside], given.strengths[inside], source)


class _Given:
    """Turns hits into what is given of them, from one stretch to the next."""

    def __init__(self, params: HitsParams) -> None:
        self._given, self._ago = params.given, 0

    def __call__(self, frames: Samples, strengths: FloatArray, source: Source) -> FloatArray:
        """Give the level of the next frames, by which of them have hits."""
        out = np.zeros(source.n_frames)
        np.maximum.at(out, frames, strengths)
        if self._given is HitsGiven.PULSES:
            return out
        if self._given is HitsGiven.EVEN:
            return np.asarray(out > 0, dtype=np.float64)
        index = np.arange(source.n_frames)
        last = np.maximum.accumulate(np.where(out > 0, index, -1))
        ago = np.where(last < 0, index + 1 + self._ago, index - last)
        self._ago = int(ago[-1]) if len(ago) else self._ago
        return np.asarray(ago * source.rate.duration_s(1))


def flow(params: HitsParams, source: LiveSource) -> LiveRead:
    """Give what hears hits while the sound comes, in the frames in which they are known; none is edited by hand."""
    heard = HitsAsTheySound(
        low_hz=params.low_hz,
        high_hz=params.high_hz,
        sensitivity=params.sensitivity,
        least_gap_s=params.least_gap_ms / 1000.0,
        sample_rate_hz=source.info.sample_rate_hz,
    )
    given = _Given(params)

    def read_on(source: LiveSource) -> FloatArray:
        samples, strengths = heard(source.sound.rises)
        return given(source.sound.frames_of(samples), np.array(strengths), source)

    return read_on


def live_words(params: HitsParams) -> str:
    """Say what live is otherwise."""
    return "Hits that were edited by hand are not heard live." if params.edits else ""


def unit_of(params: HitsParams) -> OwnUnit:
    """Give seconds for the time since a hit, else a share of the strongest."""
    return SECONDS if params.given is HitsGiven.TIMES else SHARE


READING = Reading(
    id="hits",
    label="Hits",
    help="Where the sound sets in.",
    params=HitsParams,
    needs=needs,
    read=read,
    live=Live(
        flow,
        lag_frames=lambda params, source: live_lag(source.rate, sample_rate_hz=source.info.sample_rate_hz),
        words=live_words,
    ),
    hits=hits,
    own_hits=lambda params: bool(params.edits),
    unit=unit_of,
    version=2,
)
