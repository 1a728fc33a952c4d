"""A free thing drifts: up with the tone or the hits, and back."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Stance

_SHARE, _MOST = 0.03, 12


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let what stands free, and has room above it, rise by a thirtieth of the stage."""
    voice = sound.first_of(Role.TONE, Role.SPARKLE, Role.BED, Role.LOUDEST)
    for thing in scene.things:
        free = thing.stance is Stance.FREE and not (thing.background or thing.text or thing.joined)
        if voice is None or not free or thing.count > _MOST or not thing.has("y") or scene.kind != "2d":
            continue
        if any(extent.stage[1] < _SHARE or extent.own is None for extent in thing.extents):
            continue
        drives = []
        for part, extent in zip(thing.parts, thing.extents, strict=True):
            assert extent.own is not None
            own = float(part.own("y"))
            drives.append(drive(part, "y", rest=own, full=own - _SHARE * _stage_px(extent.stage, extent.own)))
        yield Candidate(voice, thing, thing.says("rises and sinks", "rise and sink"), tuple(drives), taste=0.7)


def _stage_px(stage: tuple[float, float, float, float], own: tuple[float, float, float, float]) -> float:
    """Give how tall the stage is in the pixels that a part's place is counted in."""
    return (own[3] - own[1]) / max(stage[3] - stage[1], 1e-9)


RULE = Rule(
    id="one_drifts",
    label="A free thing drifts",
    help="What stands free, with room above it, rises a little and sinks again.",
    offer=offer,
)
