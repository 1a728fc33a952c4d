"""Where nothing in a sound stands out: one breath on a slow wave, as far as it is loud."""

from __future__ import annotations

from collections.abc import Iterator

from fern_tide.core.first_cut.rule import Candidate, Rule, grown
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary

_FACTOR, _PERIOD_S = 1.05, 6.0


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let the largest thing breathe on a wave of its own, whose amount is loudness."""
    voice = sound.voice(Role.PLAIN)
    if voice is None or sound.first_of(Role.PULSE, Role.BED) is not None:
        return
    for thing in [thing for thing in scene.things if not thing.hides_its_edges][:2]:
        if drives := grown(thing, _FACTOR):
            words = f"{thing.says('breathes', 'breathe')} on a slow wave"
            yield Candidate(voice, thing, words, drives, (f"sway period={_PERIOD_S}",), taste=0.8)


RULE = Rule(
    id="slow_wave",
    label="One breath on a slow wave",
    help="Where a sound has no hits and no swells, the largest thing breathes on a wave as far as it is loud.",
    offer=offer,
)
