"""Candidates as mappings, and how much of each is seen: measured on the lift that they would have."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from math import radians, sqrt

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.document import Project
from fern_tide.core.first_cut.rule import Candidate
from fern_tide.core.first_cut.sound import Levels
from fern_tide.core.first_cut.things import LENS, reach_of
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.core.mapping.marks import Marks, suggest_marks
from fern_tide.core.scene.extent import Extent

_CLEARLY_SEEN = 0.04  # of the stage's height: a move that everybody sees
_LIGHT_SEEN = 0.06  # what a light that gets several times as strong counts as
_SHAPE_SEEN = 0.3  # of a thing's size, what a whole morph counts as


@dataclass(frozen=True, eq=False)
class Measured:
    """A candidate as a mapping, with the lift that it has.

    Attributes:
        candidate: whose.
        mapping: as it would be added, under a passing id.
        lift: after its steps, shape (frames,), or (rows, frames) where it is spread.
        visible: how well its motion is seen, 0 to 1.
    """

    candidate: Candidate
    mapping: MappingModel
    lift: FloatArray
    visible: float

    @cached_property
    def moves(self) -> FloatArray:
        """How far it is from rest, shape (frames,): of a spread one its highest row."""
        away = np.abs(self.lift)
        return np.asarray(away.max(axis=0)) if away.ndim > 1 else away

    @property
    def track(self) -> str | None:
        """The id of the track that it follows."""
        return self.candidate.voice.envelope.track

    @property
    def score(self) -> float:
        """How good it is by itself."""
        return self.candidate.voice.clear * self.visible * self.candidate.taste


def measure(project: Project, levels: Levels, candidate: Candidate) -> Measured:
    """Make a mapping of a candidate and measure it.

    Args:
        project: has the envelope that the candidate follows.
        levels: gives lifts.
        candidate: what is proposed.
    """
    drives = candidate.drives
    mapping = MappingModel(
        id="proposed",
        name="Proposed",
        envelope=candidate.voice.envelope.id,
        spread=candidate.spread,
        marks=_marks(candidate),
        steps=tuple(map(StepChoice.parse, candidate.steps)),
        drives=drives,
    )
    lift = levels.lift(project, mapping)
    return Measured(candidate, mapping, lift, visible(candidate, lift))


def _marks(candidate: Candidate) -> Marks:
    """Suggest marks, to a tenth of a decibel: what is read roughly at first gives the same ones."""
    marks = suggest_marks(candidate.voice.level, scale=candidate.scale).marks
    low, high = (round(to_db(mark), 1) for mark in (marks.low, marks.high))
    return Marks(low=from_db(low), high=from_db(max(high, low + 1.0)), scale=candidate.scale)


def visible(candidate: Candidate, lift: FloatArray) -> float:
    """Give how well a candidate's motion is seen, 0 to 1, from its largest move as a share of the stage's height."""
    if not lift.size:
        return 0.0
    swung = float(np.percentile(lift, 98) - np.percentile(lift, 2))
    by_part = dict(zip((part.id for part in candidate.thing.parts), candidate.thing.extents, strict=False))
    moves = [_move(drive, candidate, by_part) for drive in candidate.drives]
    return sqrt(min(1.0, max(moves) * swung / _CLEARLY_SEEN))


def _move(drive: Drive, candidate: Candidate, extents: Mapping[str, Extent]) -> float:
    """Give how far a drive moves something from rest to full, as a share of the stage's height, or what is as plain."""
    name, extent = drive.target.property, extents.get(drive.target.part)
    if isinstance(drive.rest, str) or isinstance(drive.full, str):
        far = float(np.linalg.norm(parse_colour(str(drive.full)) - parse_colour(str(drive.rest))))
        return far * (sqrt(extent.share) if extent else 0.1) * 0.3
    by = abs(drive.full - drive.rest)
    if name == LENS:
        return by / max(1.0, drive.rest) * 0.5
    if extent is None or name in {"intensity", "emission_strength"}:
        return _LIGHT_SEEN
    left, top, right, bottom = extent.stage
    if name.startswith("scale_"):
        size = {"scale_x": right - left, "scale_y": bottom - top}.get(name, 0.0)
        return by / max(abs(drive.rest), 1e-6) * size
    if name.startswith("turn"):
        part = next(part for part in candidate.thing.parts if part.id == drive.target.part)
        anchor = candidate.anchors.get(part.id)
        return radians(by) * reach_of(part if anchor is None else part.but(anchor=anchor), extent)
    if name == "y" and extent.own is not None:
        return by / max(extent.own[3] - extent.own[1], 1e-9) * (bottom - top)
    if name.startswith("shape_"):
        return by * _SHAPE_SEEN * max(right - left, bottom - top)
    return by * sqrt(extent.share) * (0.3 + 0.7 * candidate.thing.light) * 0.5
