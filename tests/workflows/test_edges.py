"""Everything that changes a curve is in its fingerprint, and what changed is sent again."""

import numpy as np
import pytest
from tests.workflows.test_soundtrack import do, drive

from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.baking import State
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.aiming import aim, name_after


@pytest.fixture
def spread(studio, levels, key):
    """A bank of two rows that moves two properties, each by its own row, with a seeded step."""
    project = drive(studio, levels, key)
    bank = Envelope(
        id="bank",
        name="Bank",
        track="drums",
        reading=ReadingChoice.parse("bank bands=4 low_hz=40 high_hz=8000"),
    )
    project = do(studio, key, PutEnvelope(envelope=bank))
    analysis.ensure(studio, project)
    turn = project.mappings[0].drives[0]
    other = Drive(target=Target.parse("lamp:x"), rest=0.0, full=50.0)
    mapping = project.mappings[0].but(
        envelope="bank", spread=True, steps=(StepChoice.parse("wobble"),), drives=(turn, other)
    )
    return do(studio, key, PutMapping(mapping=mapping))


def stale(studio, levels, key, project) -> set[str]:
    return {str(item.target) for item in baking.states(studio, levels, key, project) if item.state is not State.FRESH}


CHANGES = {
    "seed": lambda m: m.but(seed=m.seed + 1),
    "places traded": lambda m: m.but(drives=m.drives[::-1]),
    "one more": lambda m: m.but(drives=(*m.drives, Drive(target=Target.parse("lamp:y"), rest=0.0, full=9.0))),
    "not spread": lambda m: m.but(spread=False),
    "another row": lambda m: m.but(spread=False, row=2),
    "marks": lambda m: m.but(marks=m.marks.but(high=m.marks.high * 1.5)),
    "late": lambda m: m.but(drives=tuple(item.but(late_frames=3.0) for item in m.drives)),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_whatever_changes_a_curve_makes_it_stale(studio, levels, key, spread, change):
    baking.bake_all(studio, levels, key, spread)
    assert stale(studio, levels, key, spread) == set()
    before = {str(curve.target): curve.values for curve in levels.curves(spread)}
    after = do(studio, key, PutMapping(mapping=change(spread.mappings[0])))
    now = {str(curve.target): curve.values for curve in levels.curves(after)}
    moved = {name for name, values in now.items() if name not in before or not np.array_equal(values, before[name])}
    assert moved and moved <= stale(studio, levels, key, after)


def test_a_level_that_changed_is_sent_again_and_one_that_did_not_is_not(studio, levels, key, spread):
    mapping, envelope = spread.mappings[0], spread.envelope("bank")

    def same(after) -> bool:
        return edits.same_level(levels, spread, after, after.mappings[0])

    assert same(spread.but(mappings=(mapping.but(name="Another"),)))
    assert not same(spread.but(mappings=(mapping.but(spread=False),)))
    assert not same(spread.but(mappings=(mapping.but(spread=False, row=1),)))
    smooth = envelope.but(clean_up=(CleanUpChoice.parse("smooth width_ms=90"),))
    assert not same(spread.but(envelopes=tuple(smooth if e.id == "bank" else e for e in spread.envelopes)))
    assert not same(spread.but(rate="24"))
    assert not same(spread.but(tracks=(spread.tracks[0].but(drives=False),)))


def test_a_mapping_named_after_what_it_moves_is_renamed_with_it_and_others_are_not(studio, levels, key):
    project, target = drive(studio, levels, key), Target.parse("lamp:x")
    mapping = project.mappings[0]
    assert mapping.name == name_after(project, mapping.drives[0].target)
    assert aim(project, mapping, place=0, target=target).name == name_after(project, target) != mapping.name
    assert aim(project, mapping.but(name="Mine"), place=0, target=target).name == "Mine"
    assert aim(project, mapping, place=1, target=target).name == mapping.name  # one more is no other
