"""A light follows the pulse, and never goes out."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive, sizes, times
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Thing
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.scene.scene import Part

_LEAST, _SIZE, _INTENSITY = 0.3, 1.2, 2.5


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let lights, and what looks like one, glow with the pulse, from a third of what they are."""
    pulse = sound.first_of(Role.PULSE, Role.LOUDEST)
    for thing in scene.things:
        drives = _drives(thing) if pulse is not None and thing.glows and thing.count <= 4 else ()
        if pulse is not None and drives:
            yield Candidate(pulse, thing, thing.says("glows with each hit", "glow with each hit"), drives)


def _drives(thing: Thing) -> tuple[Drive, ...]:
    return tuple(item for part in thing.parts for item in _of(part))


def _of(part: Part) -> list[Drive]:
    response = "exponent power=0.7"
    if part.has("intensity"):
        own = float(part.own("intensity"))
        return (
            [drive(part, "intensity", rest=own * max(_LEAST, 0.5), full=own * _INTENSITY, response=response)]
            if own
            else []
        )
    if part.has("emission_strength") and part.own("emission") != "#000000":
        return [times(part, "emission_strength", _INTENSITY, response=response)]
    if part.has("opacity"):
        own = float(part.own("opacity"))
        sized = [times(part, name, _SIZE, response=response) for name in sizes(part)] if part.kind.shines else []
        return [drive(part, "opacity", rest=own * (_LEAST + 0.15), full=own, response=response), *sized]
    return []


RULE = Rule(
    id="light_follows",
    label="Light follows the hits",
    help="A light, a glow or a glowing surface follows the hits and never falls under a third of itself.",
    offer=offer,
)
