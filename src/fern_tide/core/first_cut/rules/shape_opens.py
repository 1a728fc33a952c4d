"""A morph target opens with the loudest band."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary

_MOST = 2


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let a mesh go to its first shapes."""
    loudest = sound.first_of(Role.LOUDEST, Role.BED, Role.PULSE)
    for thing in scene.things:
        shapes = [item for item in thing.parts[0].properties if item.id.startswith("shape_")][:_MOST]
        for item in shapes if loudest is not None else ():
            assert loudest is not None
            shut = [part for part in thing.parts if float(part.own(item.id)) < 1.0]
            drives = tuple(drive(part, item.id, rest=float(part.own(item.id)), full=1.0) for part in shut)
            if drives:
                yield Candidate(loudest, thing, f"{thing.says('opens', 'open')} to {item.label[:40]}", drives)


RULE = Rule(
    id="shape_opens",
    label="A shape opens",
    help="A morph target opens with the loudest band.",
    offer=offer,
)
