"""One small bright thing takes the hits: a soft flash of its size."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, grown
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary

_SMALL, _BRIGHT, _FACTOR = 0.06, 0.25, 1.22


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let what is small and bright, or glows, leap a little with the pulse."""
    pulse = sound.first_of(Role.PULSE, Role.LOUDEST)
    for thing in scene.things:
        if pulse is None or thing.text or thing.background or not thing.has("scale_x"):
            continue
        if thing.count > 2 or thing.share > _SMALL or not (thing.light >= _BRIGHT or thing.glows):
            continue
        words = thing.says("leaps with each hit", "leap with each hit")
        yield Candidate(pulse, thing, words, grown(thing, _FACTOR), taste=0.8 + 0.2 * thing.light)


RULE = Rule(
    id="small_bright_flashes",
    label="Small and bright takes the hits",
    help="One small bright thing leaps softly with each hit.",
    offer=offer,
)
