"""One mapping over parts chosen together, over a real studio."""

import numpy as np
import pytest
from tests.gltf import GLB, model
from tests.workflows.test_workflows import SOUND

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.registry import read_command
from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import Drive, Within
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.stages import Staged, Stages
from fern_tide.workflows.tune import aiming, anchoring, edits, reaches, several, why
from fern_tide.workflows.tune.several import Choosing, Line, Takes
from fern_tide.workflows.tune.tried_order import order_tried

BARS = {7: 300, 2: 100, 9: 200, 1: 0, 4: 400}  # number: where it stands, in px


def bars() -> Scene:
    parts = [
        {
            "id": f"bar-{number}",
            "name": f"Bar {number}",
            "shape": {"id": "rectangle", "params": {"width": 40, "height": 100 + number}},
            "values": {"x": x, "fill": "#3e6b3a"},
        }
        for number, x in BARS.items()
    ]
    return Scene.model_validate({"name": "Bars", "width": 480, "height": 320, "parts": parts})


@pytest.fixture
def opened(studio):
    revision = sounds.start_project(studio, [SOUND], file_name="drums.wav", scene=bars())
    project = studio.projects.current(revision.key).document
    return levels_of(studio), project, Stages(studio.media).of(project.scene)


IDS = [f"bar-{number}" for number in BARS]


def drive(opened, name="scale_y", parts=IDS, **line) -> tuple[Project, object]:
    levels, project, stage = opened
    command = several.drive_all(levels, project, staged=stage, parts=parts, name=name, line=Line(**line))
    project = command.apply(project)
    return project, project.mappings[-1]


def test_each_takes_a_row_of_a_bank_from_left_to_right_whatever_the_order_of_the_file(opened):
    project, mapping = drive(opened)
    assert [item.target.part for item in mapping.drives] == ["bar-1", "bar-2", "bar-9", "bar-7", "bar-4"]
    assert [item.rank for item in mapping.drives] == [0, 0.25, 0.5, 0.75, 1]
    assert mapping.spread and project.envelope(mapping.envelope).reading.params.bands == 5
    assert mapping.name == "5 bars height"
    levels = opened[0]
    curves = {curve.target.part: curve.values for curve in levels.curves(project)}
    level = levels.cleaned(project, project.envelope(mapping.envelope))
    lift = np.clip((level - mapping.marks.low) / (mapping.marks.high - mapping.marks.low), 0, 1)
    for row, part in enumerate(["bar-1", "bar-2", "bar-9", "bar-7", "bar-4"]):
        assert np.abs(curves[part] - (1 + 0.4 * lift[row])).max() < 1e-6, part


def test_a_bank_that_is_there_is_taken_again_and_orders_turn_round(opened):
    levels, _, stage = opened
    project, first = drive(opened)
    command = several.drive_all(levels, project, staged=stage, parts=IDS, name="turn", line=Line(backwards=True))
    again = command.apply(project)
    assert len(again.envelopes) == len(project.envelopes) and again.mappings[-1].envelope == first.envelope
    assert again.mappings[-1].drives[0].target.part == "bar-4"


def test_later_and_later_from_its_own_rest_and_tuned_as_one(opened):
    project, mapping = drive(opened, "x", takes=Takes.LATER, late_frames=8)
    assert not mapping.spread and [item.late_frames for item in mapping.drives] == [0, 2, 4, 6, 8]
    assert [(item.rest, item.full) for item in mapping.drives] == [(x, x + 60) for x in (0, 100, 200, 300, 400)]
    path = {"kind": "set_field", "owner": "mapping", "id": mapping.id, "path": "drives.0.full", "value": 10}
    tuned = read_command(path).apply(project).mappings[-1]
    assert [item.full for item in tuned.drives] == [10, 110, 210, 310, 410]
    assert [item.late_frames for item in tuned.drives] == [0, 2, 4, 6, 8]
    same = drive(opened, takes=Takes.SAME)[1]
    assert {item.late_frames for item in same.drives} == {0.0} and not same.spread


def test_the_last_has_less_of_the_motion_than_the_first_and_keeps_it_when_all_are_tuned(opened):
    project, mapping = drive(opened, "x", takes=Takes.SAME, first=1.0, last=0.2)
    assert [item.share for item in mapping.drives] == [1.0, 0.8, 0.6, 0.4, 0.2]
    lift = opened[0].lift(project, mapping)
    curves = {curve.target.part: curve.values for curve in opened[0].curves(project)}
    for item in mapping.drives:
        assert np.abs(curves[item.target.part] - (item.rest + item.share * 60 * lift)).max() < 1e-6
    path = {"kind": "set_field", "owner": "mapping", "id": mapping.id, "path": "drives.0.full", "value": 10}
    tuned = read_command(path).apply(project).mappings[-1]
    assert [item.share for item in tuned.drives] == [1.0, 0.8, 0.6, 0.4, 0.2] and tuned.drives[4].full == 410
    turned = several.reordered(project, mapping, staged=opened[2], line=Line(order="x", backwards=True)).apply(project)
    shares = {item.target.part: item.share for item in turned.mappings[-1].drives}
    assert shares == {"bar-1": 0.2, "bar-2": 0.4, "bar-9": 0.6, "bar-7": 0.8, "bar-4": 1.0}
    assert "share" not in mapping.drives[0].model_dump(mode="json")


def test_the_row_is_put_in_another_order_afterwards(opened):
    project, mapping = drive(opened, takes=Takes.LATER, late_frames=8)
    edit = several.reordered(project, mapping, staged=opened[2], line=Line(order="x", backwards=True))
    after = edit.apply(project).mappings[-1]
    assert {item.target.part: (item.rank, item.late_frames) for item in after.drives} == {
        "bar-1": (1, 8), "bar-2": (0.75, 6), "bar-9": (0.5, 4), "bar-7": (0.25, 2), "bar-4": (0, 0)
    }  # fmt: skip
    assert all(item.along for item in after.drives[1:])
    with pytest.raises(FernTideError, match="no parts in a row"):
        several.reordered(project, mapping.but(drives=mapping.drives[:1]), staged=opened[2], line=Line())


def test_marks_of_a_spread_mapping_are_suggested_from_its_highest_row(opened):
    project, mapping = drive(opened)
    both = [
        edits.suggest(opened[0], project, envelope_id=mapping.envelope, scale=mapping.marks.scale, spread=spread).marks
        for spread in (True, False)
    ]
    assert mapping.marks == both[0] != both[1]


def test_what_cannot_be_is_said(opened):
    levels, project, stage = opened
    with pytest.raises(FernTideError, match="no property named glow"):
        drive(opened, "glow")
    with pytest.raises(InvalidParameter, match="one or more"):
        drive(opened, parts=[])
    bare = project.but(tracks=(), envelopes=(), mappings=())
    for takes in Takes:
        with pytest.raises(InvalidParameter, match="a sound first"):
            several.drive_all(levels, bare, staged=stage, parts=IDS, name="turn", line=Line(takes=takes))


def test_anchors_are_put_at_the_same_place_of_each_and_the_parts_stay(opened):
    command, without = anchoring.anchored(opened[2], IDS, word="bottom left")
    assert without == 0 and command.anchors["bar-7"].model_dump() == {
        "x": 0,
        "y": 107,
        "z": 0,
        "word": "bottom left",
    }
    after = command.apply(opened[1])
    assert [part.own("x") for part in after.scene.parts] == [part.own("x") for part in opened[1].scene.parts]
    with pytest.raises(FernTideError, match="None of these parts"):
        anchoring.anchored(Staged(Scene(name="E", kind="3d"), SceneMedia()), [], word="top")


def test_names_get_numbers_in_the_order(opened):
    names = several.renamed(opened[2], IDS, name=" Post 3", line=Line()).names
    assert names == {"bar-1": "Post 1", "bar-2": "Post 2", "bar-9": "Post 3", "bar-7": "Post 4", "bar-4": "Post 5"}
    with pytest.raises(InvalidParameter, match="a letter in it"):
        several.renamed(opened[2], IDS, name=" 12 ", line=Line())


def test_choosing_says_how_many_there_would_be(opened, monkeypatch):
    stage = opened[2]
    assert several.chosen(stage, how=Choosing.ALIKE, parts=["bar-7"]) == (IDS, 5)
    monkeypatch.setattr(several, "MOST_CHOSEN", 2)
    assert several.chosen(stage, how=Choosing.OTHERS, parts=["bar-7"]) == (["bar-2", "bar-9"], 4)
    with pytest.raises(InvalidParameter, match="four shares"):
        several.chosen(stage, how=Choosing.BOX, parts=[])


def test_words_and_what_is_shared():
    parts = glasshouse().parts
    cloches = [part for part in parts if part.id.startswith("cloche-")]
    assert several.group_words(cloches) == f"{len(cloches)} cloches"
    mixed = [cloches[0], next(part for part in parts if part.id == "title")]
    assert several.group_words(mixed) == "2 parts" and several.group_words(cloches[:1]) == cloches[0].name
    shared = {item.id for item in several.shared(mixed)}
    assert {"x", "opacity", "fill"} <= shared and "text_size" not in shared and several.shared([]) == []


def test_what_drives_them_is_one_edit(opened):
    levels, project, stage = opened
    command = several.drive_all(levels, project, staged=stage, parts=IDS, name="turn", line=Line())
    assert command.label(project) == "Drive the turn of 5 bars"
    assert sum(isinstance(item, PutMapping) for item in command.commands) == 1


@pytest.fixture
def fern():
    file = SceneFile(id="f", name="fern.glb", media="2" * 64, kind="gltf")
    return Staged(model(file), SceneMedia(gltfs={file.media: read_gltf(GLB)}))


def test_anchors_of_a_models_nodes_lie_at_their_boxes(fern):
    """The frond is a square of 1 m; its pot holds it turned by 30 degrees and twice as tall."""
    command, without = anchoring.anchored(fern, ["frond", "pot", "glow"], word="top")
    frond, pot = command.anchors["frond"], command.anchors["pot"]
    assert (frond.x, frond.y, frond.z) == pytest.approx((0.5, 1.0, 0.0), abs=1e-6)
    assert (pot.x, pot.y) == pytest.approx(((3**0.5 / 2 - 1) / 2, 0.5 + 3**0.5), abs=1e-6)
    assert without == 1 and "glow" not in command.anchors  # a lamp has nothing that is seen
    base = anchoring.anchored(fern, ["pot"], word="base")[0].anchors["pot"]
    assert base.y == pytest.approx(0.0, abs=1e-6) and base.word == "base"


def test_parts_are_chosen_by_nodes_but_for_those_inside_others(fern):
    assert several.chosen(fern, how=Choosing.NODES, parts=[], nodes=[0, 1, 2]) == (["pot", "glow"], 2)
    assert several.chosen(fern, how=Choosing.NODES, parts=[], nodes=[1, 99]) == (["frond"], 1)
    assert several.chosen(fern, how=Choosing.NODES, parts=[]) == ([], 0)


def test_an_arrays_pieces_are_listed_in_an_order_that_is_not_chosen():
    array = Part.model_validate(
        {
            "id": "row",
            "name": "Row",
            "shape": {"id": "array", "params": {"layout": {"params": {"count": 5}, "id": "line"}}},
        }
    )
    project = Project(name="P", scene=Scene(name="S", parts=(array,)))
    assert order_tried(project, array, "tree") == [0, 1, 2, 3, 4]
    assert order_tried(project, array, "middle") == [2, 1, 3, 0, 4]
    params = array.shape.params
    backwards = array.but(shape=array.shape.but(params=params.but(backwards=True)))
    assert order_tried(project, backwards, "x") == [4, 3, 2, 1, 0]
    many = params.but(layout={"id": "line", "params": {"count": 1000}})
    listed = order_tried(project, array.but(shape=array.shape.but(params=many)), "x")
    assert len(listed) == 150 and listed[0] == 0 and listed[-1] == 999 and sorted(listed) == listed
    with pytest.raises(InvalidParameter, match="an array"):
        order_tried(project, Part.model_validate({"id": "a", "name": "A", "shape": {"id": "star"}}), "x")
    with pytest.raises(UnknownName):
        order_tried(project, array, "nowhere")


def with_reach(project):
    shape = {"id": "reach", "params": {"easing": {"id": "straight"}}}
    values = {"reach_x": 20, "reach_y": 50, "reach_inner": 0, "reach_outer": 200}
    reach = Part.model_validate({"id": "here", "name": "Here", "shape": shape, "values": values})
    return project.but(scene=project.scene.but(parts=(*project.scene.parts, reach)))


def test_parts_as_they_stand_go_by_a_reach_from_where_their_middles_are_and_no_more(opened):
    levels, _, _ = opened
    project, mapping = drive(opened, takes=Takes.SAME)
    project = with_reach(project)
    stage = Staged(project.scene, SceneMedia())
    near = reaches.go_by(stage, project, reach_id="here", mapping_id=mapping.id).apply(project)
    placed = {item.target.part: item.within for item in near.mappings[-1].drives}
    assert (placed["bar-1"].x, placed["bar-1"].y) == pytest.approx((20, 50.5)) and placed["bar-4"].x == 420
    before, after = ({one.target.part: one.values - 1 for one in levels.curves(it)} for it in (project, near))
    for part, x in (("bar-1", 20), ("bar-2", 120), ("bar-9", 220), ("bar-7", 320)):
        share = max(0.0, 1 - np.hypot(x - 20, placed[part].y - 50) / 200)
        np.testing.assert_allclose(after[part], share * before[part], atol=1e-9, err_msg=part)
    assert before["bar-9"].max() > 0.1
    ranked = [str(one.target) for one in near.mappings[-1].drives]
    lines = {line.word: line for line in why.why(levels, near, near.mappings[-1], place=1, frame=8)}
    assert lines["In all"].note == "5 bars height (replace), Here" and ranked[1] == "bar-2:scale_y"
    assert float(lines["In all"].number.split()[0]) == pytest.approx(1 + after["bar-2"][8], rel=1e-5)
    elsewhere = aiming.aimed(near, near.mappings[-1].drives[1], Target.parse("bar-9:turn"))
    assert elsewhere.within is None, "it would be from where the other part stands"
    off = reaches.go_by(stage, near, reach_id="here", mapping_id=mapping.id).apply(near)
    assert off.mappings[-1].drives == project.mappings[-1].drives


def test_what_cannot_go_by_a_reach_is_said(opened):
    _, project, _ = opened
    project, mapping = drive(opened)
    project = with_reach(project)
    stage = Staged(project.scene, SceneMedia())
    with pytest.raises(InvalidParameter, match="a part that is a reach"):
        reaches.go_by(stage, project, reach_id="bar-1", mapping_id=mapping.id)
    own = mapping.but(drives=(Drive(target=Target.parse("here:reach_x"), rest=0.0, full=9.0),))
    moving = project.but(mappings=(own,))
    with pytest.raises(FernTideError, match="cannot go by Here"):
        reaches.go_by(stage, moving, reach_id="here", mapping_id=mapping.id)
    names = tuple(f"r{n}" for n in range(8))
    full = mapping.but(drives=tuple(one.but(within=Within(reaches=names)) for one in mapping.drives))
    with pytest.raises(FernTideError, match="8 reaches already"):
        reaches.go_by(stage, project.but(mappings=(full,)), reach_id="here", mapping_id=mapping.id)
