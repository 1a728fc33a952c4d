"""The largest things breathe: slow, and hardly more than one sees."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive, grown
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Stance, Thing
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.marks import Scale

_FACTOR, _DEGREES = 1.03, 5.0
_MOST = 3


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let large things grow by 3 % with the bed; several that stand lean instead, to one side and the other."""
    bed = sound.first_of(Role.BED, Role.LOUDEST)
    large = [thing for thing in scene.things if not (thing.text or thing.films or thing.hides_its_edges)][:_MOST]
    for thing in large if bed is not None else ():
        assert bed is not None
        leans = thing.count > 1 and thing.stance is Stance.FLOOR and thing.has("turn") and thing.count <= 12
        drives = _leaning(thing) if leans else grown(thing, _FACTOR, response="smooth")
        if not drives:
            continue
        anchors = thing.anchors(at_top=False) if thing.stance is Stance.FLOOR else {}
        words = thing.says("breathes", "breathe")
        taste = 0.9 if thing.background else 1.0
        yield Candidate(bed, thing, words, drives, scale=Scale.DB, anchors=anchors, taste=taste)


def _leaning(thing: Thing) -> tuple[Drive, ...]:
    middle, drives = (thing.count - 1) / 2, []
    for at, part in enumerate(thing.parts):
        own = float(part.own("turn"))
        by = _DEGREES if at >= middle else -_DEGREES
        drives.append(drive(part, "turn", rest=own, full=own + by, response="smooth"))
    return tuple(drives)


RULE = Rule(
    id="largest_breathes",
    label="The largest breathes",
    help="The largest things breathe by 3 % with the slow loudness; several that stand lean outward.",
    offer=offer,
)
