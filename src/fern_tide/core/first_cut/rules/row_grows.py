"""Things alike in a row grow from their base, a row of the bank each."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, times
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import Stance

_FACTOR = 1.6


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let each of a row take a row of the bank, low on the left and high on the right."""
    rows = sound.voice(Role.ROWS)
    for thing in scene.things:
        if rows is None or not thing.is_row or 2 * thing.count < scene.rows or thing.text or not thing.has("scale_y"):
            continue
        drives = tuple(times(part, "scale_y", _FACTOR, response="smooth") for part in thing.parts)
        standing = thing.stance is Stance.FLOOR
        words = f"{thing.words}, left to right, {'grow from their base' if standing else 'stretch'}"
        anchors = thing.anchors(at_top=False) if standing else {}
        taste = 0.6 + 0.4 * min(1.0, thing.count / 10)
        yield Candidate(rows, thing, words, drives, spread=True, anchors=anchors, taste=taste)


RULE = Rule(
    id="row_grows",
    label="A row takes a row each",
    help="Things alike in a row grow from their base, each by a band of its own, low on the left.",
    offer=offer,
)
