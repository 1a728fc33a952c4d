"""Words lift a little with the pulse, and settle."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, grown
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary

_FACTOR = 1.04


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let words grow by 4 % with the pulse."""
    pulse = sound.first_of(Role.PULSE, Role.BED, Role.LOUDEST)
    for thing in scene.things:
        if pulse is not None and thing.text and (drives := grown(thing, _FACTOR)):
            yield Candidate(pulse, thing, thing.says("lifts and settles", "lift and settle"), drives, taste=0.7)


RULE = Rule(
    id="text_lifts",
    label="Words lift and settle",
    help="Words grow by 4 % with each hit and settle; they stay readable.",
    offer=offer,
)
