"""Hanging things swing: about their top, further when it is louder."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Stance

_DEGREES, _USUAL_S = 9.0, 2.4
_LARGEST = 0.4  # of the stage: what is larger is a frame or a ground


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let what hangs swing by the bed, two beats to and fro where the tempo is sure."""
    bed = sound.first_of(Role.BED, Role.LOUDEST)
    for thing in scene.things:
        turn = "turn" if scene.kind == "2d" else "turn_z"
        hangs = thing.stance is Stance.HANGS and thing.share <= _LARGEST and not thing.text
        if bed is None or not hangs or not thing.has(turn):
            continue
        drives = tuple(
            drive(part, turn, rest=(own := float(part.own(turn))), full=own + _DEGREES * (-1) ** place)
            for place, part in enumerate(thing.parts)
        )
        period = "sway period=2 counted_in=beats" if sound.beat_s else f"sway period={_USUAL_S}"
        anchors = thing.anchors(at_top=True)
        yield Candidate(bed, thing, thing.says("swings", "swing"), drives, (period,), anchors=anchors)


RULE = Rule(
    id="hanging_swings",
    label="What hangs swings",
    help="A hanging thing swings about its top, two beats to and fro, further when it is louder.",
    offer=offer,
)
