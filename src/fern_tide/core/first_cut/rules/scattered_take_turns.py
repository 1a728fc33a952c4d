"""Things alike and scattered lean to the other side with every tick."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Stance

_DEGREES, _MOST, _LARGEST = 14.0, 40, 0.05


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let scattered things alike turn to one side and the other with the hits above 3 kHz."""
    sparkle = sound.first_of(Role.SPARKLE, Role.PULSE)
    turn = "turn" if scene.kind == "2d" else "turn_y"
    for thing in scene.things:
        small = thing.share <= _LARGEST and thing.stance is not Stance.FLOOR
        if (
            sparkle is None
            or not small
            or thing.is_row
            or not 2 <= thing.count <= _MOST
            or thing.text
            or not thing.has(turn)
        ):
            continue
        drives = tuple(
            drive(part, turn, rest=(own := float(part.own(turn))), full=own + _DEGREES * (-1) ** place)
            for place, part in enumerate(thing.parts)
        )
        words = thing.says("turns", "turn to the other side with every tick")
        yield Candidate(sparkle, thing, words, drives, ("take_turns",), taste=0.9)


RULE = Rule(
    id="scattered_take_turns",
    label="Scattered things take turns",
    help="Things alike and scattered turn to the other side with every tick above 3 kHz.",
    offer=offer,
)
