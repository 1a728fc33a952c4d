"""A camera draws in by a hair as the sound builds."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, times
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import LENS

_FACTOR = 0.96


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let a camera's field of view close by 4 %, which brings things 4 % nearer, with the bed."""
    bed = sound.voice(Role.BED)
    for thing in scene.things:
        if bed is not None and thing.films:
            drives = (times(thing.parts[0], LENS, _FACTOR, response="smooth"),)
            yield Candidate(bed, thing, f"{thing.words} draws in", drives, taste=0.5)


RULE = Rule(
    id="camera_draws_in",
    label="The camera draws in",
    help="A camera draws in by a hair while it is loud.",
    offer=offer,
)
