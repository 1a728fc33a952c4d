"""A picture gets lighter with each hit, a little."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary

_LEAST = 0.78


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let a picture that was brought in go from nearly opaque to opaque with the pulse."""
    pulse = sound.first_of(Role.PULSE, Role.LOUDEST)
    for thing in scene.things:
        part = thing.parts[0]
        if pulse is None or thing.count > 1 or part.kind.middle is None or not part.has("opacity"):
            continue
        own = float(part.own("opacity"))
        drives = (drive(part, "opacity", rest=own * _LEAST, full=own),)
        yield Candidate(pulse, thing, thing.says("lightens with each hit", "lighten with each hit"), drives, taste=0.9)


RULE = Rule(
    id="picture_lightens",
    label="A picture lightens",
    help="A picture that was brought in gets a little lighter with each hit.",
    offer=offer,
)
