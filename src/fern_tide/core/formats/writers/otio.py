"""OpenTimelineIO: the soundtrack's length with markers, hits and beats on it, for editing programs (Timeline.1)."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.moment_params import MomentParams
from fern_tide.core.formats.moments import Moment

_COLOURS = {
    "RED": (255, 0, 0), "ORANGE": (255, 128, 0), "YELLOW": (255, 255, 0), "GREEN": (0, 160, 0), "CYAN": (0, 255, 255),
    "BLUE": (0, 0, 255), "PURPLE": (128, 0, 128), "MAGENTA": (255, 0, 255), "PINK": (255, 128, 192),
    "BLACK": (0, 0, 0), "WHITE": (255, 255, 255),
}  # fmt: skip


class OtioParams(MomentParams):
    """Which moments go in."""


def encode(hand_off: HandOff, params: OtioParams) -> bytes:
    """Write a timeline with one track a kind of moment, each a gap as long as the project with its markers."""
    chosen, rate = params.of(hand_off.moments), hand_off.rate.per_second
    rows: list[tuple[str, Sequence[Moment]]] = [("Markers", chosen.markers)] if chosen.markers else []
    rows += [(f"Hits of {name}", [Moment(float(at), "hit") for at in times]) for name, times in chosen.hits.items()]
    if len(chosen.beats):
        beats = [Moment(float(at), "bar" if bar else "beat") for at, bar in zip(chosen.beats, chosen.bars, strict=True)]
        rows.append(("Beats", beats))

    def range_of(start_s: float, frames: float) -> dict[str, Any]:
        return {
            "OTIO_SCHEMA": "TimeRange.1",
            "start_time": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": start_s * rate},
            "duration": {"OTIO_SCHEMA": "RationalTime.1", "rate": rate, "value": float(frames)},
        }

    def marker(moment: Moment) -> dict[str, Any]:
        return {
            "OTIO_SCHEMA": "Marker.2",
            "name": moment.name,
            "color": _nearest(moment.colour),
            "marked_range": range_of(moment.time_s, 0),
            "metadata": {"fern_tide": {"time_s": moment.time_s, "colour": moment.colour}},
        }

    def track(name: str, moments: Sequence[Moment]) -> dict[str, Any]:
        gap = {
            "OTIO_SCHEMA": "Gap.1",
            "name": name,
            "source_range": range_of(0.0, hand_off.n_frames),
            "effects": [],
            "markers": [marker(moment) for moment in moments],
            "metadata": {},
        }
        return {
            "OTIO_SCHEMA": "Track.1",
            "name": name,
            "kind": "Video",
            "children": [gap],
            "effects": [],
            "markers": [],
            "metadata": {},
        }

    stack = {
        "OTIO_SCHEMA": "Stack.1",
        "name": "tracks",
        "children": [track(*row) for row in rows],
        "effects": [],
        "markers": [],
        "metadata": {},
    }
    timeline = {"OTIO_SCHEMA": "Timeline.1", "name": hand_off.name, "tracks": stack, "metadata": {}}
    return json.dumps(timeline, indent=1, ensure_ascii=False).encode()


def _nearest(colour: str) -> str:
    """Name the colour of a marker that is nearest to one; green for none."""
    if not colour:
        return "GREEN"
    wanted = [int(colour[at : at + 2], 16) for at in (1, 3, 5)]
    return min(_COLOURS, key=lambda name: sum((a - b) ** 2 for a, b in zip(wanted, _COLOURS[name], strict=True)))


def of_moments(content: bytes, hand_off: HandOff, params: OtioParams) -> tuple[FloatArray, FloatArray]:
    """Give the times that it should have, and those of its markers."""
    tracks = json.loads(content)["tracks"]["children"]
    starts = [
        one["marked_range"]["start_time"] for track in tracks for gap in track["children"] for one in gap["markers"]
    ]
    wanted = [moment.time_s for moment in params.of(hand_off.moments).all()]
    return np.array(wanted), np.array([at["value"] / at["rate"] for at in starts])


def read_back(content: bytes, hand_off: HandOff, params: OtioParams) -> Mapping[Target, FloatArray]:
    """Give no curves: it carries none."""
    return {}


def loses(curve: Curve) -> str | None:
    """Say nothing of curves, which it does not carry."""
    return None


FORMAT = Format(
    id="otio",
    label="OpenTimelineIO",
    help="Markers, hits and beats on a timeline, for editing.",
    params=OtioParams,
    extension=".otio",
    media_type="application/json",
    loses=loses,
    encode=encode,
    read_back=read_back,
    of_moments=of_moments,
    rounds_by=1e-9,
    lacks="curves",
)
