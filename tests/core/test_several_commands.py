"""Edits of several parts at once, on the demo."""

import numpy as np
import pytest
from tests.core.test_scene_commands import PROJECT, at, command

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Drive, ResponseChoice
from fern_tide.core.mapping.linking import relinked
from fern_tide.core.mapping.mapping import Mapping, drive_lift
from fern_tide.core.mapping.marks import Marks

CLOCHES = [f"cloche-{number}" for number in (1, 2, 3)]


def own(project, name):
    return [project.scene.part(part).own(name) for part in CLOCHES]


def test_a_value_limits_and_names_are_set_for_all_and_said_so():
    edit = command("set_values", parts=CLOCHES, property="turn", value=3)
    assert edit.label(PROJECT) == "Set the turn of 3 parts" and own(edit.apply(PROJECT), "turn") == [3, 3, 3]
    back = command("set_values", parts=CLOCHES, property="turn", value=None)
    assert back.apply(edit.apply(PROJECT)) == PROJECT
    limits = command("set_limits", parts=CLOCHES, property="turn", low=-5, high=None)
    limited = limits.apply(PROJECT)
    assert limits.label(PROJECT) == "Limit the turn of 3 parts"
    assert [limited.scene.limit_of(Target(part=part, property="turn")).low for part in CLOCHES] == [-5, -5, -5]
    assert (
        command("set_limits", parts=CLOCHES[:2], property="turn").apply(limited).scene.limits[-1].target.part
        == "cloche-3"
    )
    renamed = command("rename_parts", names={part: f"Bell {n}" for n, part in enumerate(CLOCHES)})
    assert renamed.label(PROJECT) == "Rename 3 parts"
    assert [renamed.apply(PROJECT).scene.part(part).name for part in CLOCHES] == ["Bell 0", "Bell 1", "Bell 2"]
    with pytest.raises(FernTideError, match="no property named glow"):
        command("set_values", parts=CLOCHES, property="glow", value=1).apply(PROJECT)
    with pytest.raises(FernTideError, match="no part named gone"):
        command("rename_parts", names={"gone": "x"}).apply(PROJECT)


def test_anchors_of_several_are_the_same_as_one_after_the_other():
    turned = command("set_values", parts=CLOCHES, property="turn", value=30).apply(PROJECT)
    anchors = {part: {"x": 10.0 * n, "y": 5, "word": "top"} for n, part in enumerate(CLOCHES, 1)}
    together = command("set_anchors", anchors=anchors)
    one_by_one = turned
    for part, anchor in anchors.items():
        one_by_one = command("set_anchor", id=part, anchor=anchor).apply(one_by_one)
    assert together.label(turned) == "Put 3 anchors at the top" and together.apply(turned) == one_by_one != turned


def test_a_part_that_is_turned_and_stretched_stays_where_it_is_when_its_anchor_moves():
    own = {"turn": 30, "scale_x": 1.5, "scale_y": 0.6}
    project = PROJECT.but(mappings=())
    for name, number in own.items():
        project = command("set_value", target=f"cloche-1:{name}", value=number).apply(project)
    before = project.scene.part("cloche-1")
    anchor = {"x": before.anchor.x + 7, "y": before.anchor.y - 4, "word": "free"}
    after = command("set_anchor", id="cloche-1", anchor=anchor).apply(project).scene.part("cloche-1")

    def stands(part, x, y):
        """By hand: T(place) T(anchor) R S T(-anchor)."""
        c, s = np.cos(np.pi / 6), np.sin(np.pi / 6)
        dx, dy = 1.5 * (x - part.anchor.x), 0.6 * (y - part.anchor.y)
        return (
            part.own("x") + part.anchor.x + c * dx - s * dy,
            part.own("y") + part.anchor.y + s * dx + c * dy,
        )

    for point in ((0, 0), (31, -12), (-5, 90)):
        assert stands(after, *point) == pytest.approx(stands(before, *point), abs=1e-6)


def test_a_selection_is_named_changed_forgotten_and_loses_parts_that_are_removed():
    one = {"id": "bells", "name": "Bells", "parts": CLOCHES}
    named = command("put_selection", selection=one)
    project = named.apply(PROJECT)
    assert named.label(PROJECT) == "Name the selection Bells" and project.scene.selections[0].name == "Bells"
    assert command("put_selection", selection=one | {"name": "B"}).label(project) == "Rename the selection Bells"
    assert command("put_selection", selection=one | {"parts": CLOCHES[:2]}).label(project) == "Change Bells"
    assert command("remove_part", id="cloche-1", with_users=True).apply(project).scene.selections[0].parts == tuple(
        CLOCHES[1:]
    )
    gone = command("remove_selection", id="bells")
    assert gone.label(project) == "Forget the selection Bells" and gone.apply(project).scene == PROJECT.scene
    with pytest.raises(FernTideError, match="no selection bells"):
        gone.apply(PROJECT)


def row(rest=(1.0, 5.0), late=(0.0, 6.0)):
    targets = [Target(**at(f"{part}:y")) for part in CLOCHES[:2]]
    first = Drive(target=targets[0], rest=rest[0], full=rest[0] + 2, rank=0.0, late_frames=late[0])
    second = Drive(target=targets[1], rest=rest[1], full=rest[1] + 2, rank=1.0, late_frames=late[1], along=targets[0])
    return Mapping(id="m", name="M", envelope="drip", marks=Marks(low=0, high=1), drives=(first, second))


def but_first(mapping, **changes):
    return mapping.but(drives=(mapping.drives[0].but(**changes), *mapping.drives[1:]))


def test_those_in_a_row_go_along_with_the_first_from_their_own_rest_place_and_time():
    assert relinked(None, row()) == row(), "a new mapping is as it is"
    changed = relinked(row(), but_first(row(), full=4.5, rest=0.0, response=ResponseChoice(id="smooth"), late_frames=9))
    first, second = changed.drives
    assert (second.rest, second.full, second.rank, second.late_frames) == (4.0, 8.5, 1.0, 6.0)
    assert second.response.id == "smooth" and second.along == first.target


def test_another_place_in_the_row_sets_none_apart_but_another_end_does():
    def with_second(**changes):
        return row().but(drives=(row().drives[0], row().drives[1].but(**changes)))

    assert relinked(row(), with_second(rank=0.5, late_frames=3.0)).drives[1].along is not None
    assert relinked(row(), with_second(full=99.0)).drives[1].along is None


def test_ranks_do_not_ask_for_the_place_in_the_list():
    """Thousands of parts: without a rank each is searched for among all."""
    import numpy as np

    mapping = row().but(spread=True)
    lift = np.array([[0.0, 1.0], [0.5, 0.0]])
    stray = mapping.drives[0].but(rank=0.5)  # is not one of the mapping's
    assert drive_lift(lift, mapping, stray).tolist() == [0.25, 0.5]


def test_an_anchor_is_moved_for_how_the_part_stands_at_rest_which_the_last_mapping_says():
    def turned(rest, name):
        drive = Drive(target=Target(part="cloche-1", property="turn"), rest=rest, full=90.0)
        return Mapping(id=name, name=name, envelope="drip", marks=Marks(low=0, high=1), drives=(drive,))

    anchor = command("set_anchor", id="cloche-1", anchor={"x": 10, "y": 5, "word": "free"})
    only = PROJECT.but(mappings=(turned(40.0, "later"),))
    both = PROJECT.but(mappings=(turned(0.0, "first"), turned(40.0, "later")))
    values = [anchor.apply(project).scene.part("cloche-1").values for project in (only, both)]
    assert values[0] == values[1] and "x" in values[0]
