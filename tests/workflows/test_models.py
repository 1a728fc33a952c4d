"""Models on one stage: several of them, nodes that move as one, and what of them goes and stays."""

import json

import pytest
from tests.gltf import GLB, document, glb
from tests.interchange.test_shaped_models import stems
from tests.workflows.test_scenes import drive

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.scene.gltf.boxes import placed
from fern_tide.core.scene.own_motion import overruled
from fern_tide.workflows.bring_in import scenes
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.tune import anchoring, edits, make_part, several
from fern_tide.workflows.tune.piece_sources import array_on_stage


@pytest.fixture
def key(demo_key):
    return demo_key


def test_models_that_come_together_or_later_all_stand_on_the_stage(studio, key):
    scenes.bring_in(studio, key, {"fern.glb": GLB, "stems.glb": stems()[0]}, replace=True)
    came = scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=False)
    scene = came.revision.document.scene
    assert [file.id for file in scene.files] == ["fern-glb", "stems-glb", "fern-glb-2"]
    assert came.part == "fern-2" and scene.part("frond-2").file == "fern-glb-2"
    built = Stages(studio.media).of(scene).built
    assert built.places["frond-2"]["node"] > built.places["stem"]["node"] > built.places["frond"]["node"]
    gone = RemovePart(id="stems").apply(came.revision.document).scene
    assert {part.file for part in gone.parts} == {file.id for file in gone.files} == {"fern-glb", "fern-glb-2"}


def test_what_comes_beside_a_model_and_is_not_in_it_is_said(studio, key):
    plain, binary = document()
    plain["buffers"][0]["uri"] = "fern.bin"
    files = {
        "fern.gltf": json.dumps(plain).encode(),
        "fern.bin": binary,
        "leaf.svg": b"<svg/>",
        "stems.glb": stems()[0],
    }
    came = scenes.bring_in(studio, key, files, replace=True)
    assert came.notes == ("fern.bin was packed in", "leaf.svg is in no model")
    assert [file.name for file in came.revision.document.scene.files] == ["fern.gltf", "stems.glb"]


def gathered_nodes(studio, key):
    """A model with two of its nodes put together."""
    made = scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True).revision
    gather = several.gather(Stages(studio.media).of(made.document.scene), ["pot", "lens"])
    return gather, edits.edit(studio, key, gather, base=made.id)


def test_nodes_of_a_model_move_as_one_about_the_middle_of_what_is_seen_of_them(studio, key):
    gather, made = gathered_nodes(studio, key)
    # the frond, 1 by 2 m, turned by 30 degrees, stands at (1, 2, 3); a lens without a size at (0.5, 1.5, 5)
    corners = [
        (1 + x * c - 2 * y * s, 2 + x * s + 2 * y * c) for c, s in [(0.75**0.5, 0.5)] for x in (0, 1) for y in (0, 1)
    ]
    middle = [(min(at) + max(at)) / 2 for at in zip(*corners, (0.5, 1.5), strict=True)]
    assert [gather.anchor.x, gather.anchor.y, gather.anchor.z] == pytest.approx([*middle, 4.0], abs=1e-4)
    scene = made.document.scene
    group = scene.part(gather.id)
    assert (group.kind.id, group.parent, scene.part("pot").parent) == ("group_3d", "fern", group.id)
    built = Stages(studio.media).of(scene.but(parts=tuple(
        part.but(values={"x": 5.0}) if part is group else part for part in scene.parts))).built  # fmt: skip
    worlds = placed(built.closed()).worlds
    assert worlds[built.places["pot"]["node"]][:3, 3].tolist() == [6, 2, 3]
    assert worlds[built.places["glow"]["node"]][:3, 3].tolist() == [0, 0, 0]


def test_a_group_that_goes_leaves_the_nodes_of_a_model(studio, key):
    gather, made = gathered_nodes(studio, key)
    disc = make_part.new_part(made.document.scene, "sphere")
    inside = edits.edit(studio, key, disc.but(part=disc.part.but(parent=gather.id)), base=made.id)
    left = RemovePart(id=gather.id).apply(inside.document).scene
    assert [left.part(name).parent for name in ("pot", "frond", "lens")] == ["fern", "pot", "fern"]
    assert not {gather.id, disc.part.id} & {part.id for part in left.parts}
    whole = RemovePart(id="fern").apply(inside.document).scene
    assert whole.parts == () and whole.files == ()


def test_a_node_in_groups_that_go_together_lies_in_what_they_lay_in(studio, key):
    gather, made = gathered_nodes(studio, key)
    scene = made.document.scene
    disc = make_part.new_part(scene, "sphere")
    beside = edits.edit(studio, key, disc.but(part=disc.part.but(parent="fern")), base=made.id)
    outer = several.gather(Stages(studio.media).of(beside.document.scene), [gather.id, disc.part.id])
    both = edits.edit(studio, key, outer, base=beside.id).document
    assert both.scene.part(gather.id).parent == outer.id
    left = RemovePart(id=outer.id).apply(both).scene
    assert [left.part(name).parent for name in ("pot", "lens", "glow")] == ["fern"] * 3
    assert not {gather.id, outer.id, disc.part.id} & {part.id for part in left.parts}


def test_the_middle_is_counted_in_what_the_parts_lie_in(studio, key):
    plain, _ = gathered_nodes(studio, key)
    made = scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True).revision
    values = {"x": 10.0, "turn_y": 90.0, "scale_x": 2.0}
    parts = tuple(part.but(values=values) if part.id == "fern" else part for part in made.document.scene.parts)
    moved = several.gather(Stages(studio.media).of(made.document.scene.but(parts=parts)), ["pot", "lens"])
    assert moved.anchor == plain.anchor


def test_nodes_stay_in_their_group_when_their_file_is_replaced(studio, key):
    gather, _ = gathered_nodes(studio, key)
    drive(studio, key, f"{gather.id}:turn_y")
    drive(studio, key, "frond:shape_0", mapping="a", full=1.0)
    plain, binary = document()
    plain["nodes"][2]["name"] = "Lantern"
    again = scenes.replace_file(studio, key, "fern-glb", {"fern.glb": glb(plain, binary)})
    scene = again.revision.document.scene
    assert again.lost == () and again.fresh == ("Lantern",)
    assert [scene.part(name).parent for name in ("pot", "frond", "lens", "lantern")] == [
        gather.id,
        "pot",
        gather.id,
        "fern",
    ]
    assert [mapping.id for mapping in again.revision.document.mappings] == ["m", "a"]


def test_an_array_is_made_of_a_node_where_it_stands_with_room_between_its_pieces(studio, key):
    made = scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True).revision
    stage = Stages(studio.media).of(made.document.scene)
    width = anchoring.width_of(stage, stage.scene.part("pot"))
    assert width == pytest.approx(0.75**0.5 + 2 * 0.5)  # the frond, 1 by 2 m, turned by 30 degrees
    edit, array = array_on_stage(stage, made.document, ["pot"])
    scene = edits.edit(studio, key, edit, base=made.id).document.scene
    assert scene.part("pot").parent == array and scene.part(array).parent == "fern"
    assert [scene.part(array).own(axis) for axis in "xyz"] == [1, 2, 3]
    assert [scene.part("pot").own(axis) for axis in "xyz"] == [0, 0, 0]
    assert scene.part(array).own("gap") == round(1.25 * width, 2)
    values = {"scale_x": 3.0}
    wide = tuple(part.but(values={**part.values, **values}) if part.id == "pot" else part for part in stage.scene.parts)
    wider = made.document.but(scene=made.document.scene.but(parts=wide))
    edit, array = array_on_stage(Stages(studio.media).of(wider.scene), wider, ["pot"])
    assert edit.apply(wider).scene.part(array).own("gap") == round(1.25 * 3 * width, 2)
    for wrong in ("leaf-green", "glow-2", "fern"):
        with pytest.raises(FernTideError, match="or nodes of a model"):
            make_part.array_of(made.document, [wrong])


def test_what_joints_carry_is_not_repeated_and_that_is_said(studio, key):
    plain, binary = document()
    plain["skins"] = [{"joints": [0, 3]}]
    plain["nodes"][1]["skin"] = 0
    made = scenes.bring_in(studio, key, {"fern.glb": glb(plain, binary)}, replace=True).revision
    stage = Stages(studio.media).of(made.document.scene)
    with pytest.raises(FernTideError, match="Frond is carried by joints"):
        array_on_stage(stage, made.document, ["pot"])
    assert array_on_stage(stage, made.document, ["glow"])[1] == "array-of-glow"


def test_an_anchor_in_the_middle_of_a_node_stays_when_its_file_is_replaced(studio, key):
    made = scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True).revision
    assert made.document.scene.part("pot").anchor.word == "origin"
    anchors, _ = anchoring.anchored(Stages(studio.media).of(made.document.scene), ["frond"], word="centre")
    edits.edit(studio, key, anchors, base=made.id)
    again = scenes.replace_file(studio, key, "fern-glb", {"fern.glb": GLB}).revision.document.scene
    assert again.part("frond").anchor == anchors.anchors["frond"]
    assert again.part("frond").anchor.x == pytest.approx(0.5)


def test_a_file_that_moves_as_a_whole_overrules_nothing_of_its_own_motion(studio, key):
    scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True)
    project = drive(studio, key, "fern:turn_y").document
    targets = [item.target for mapping in project.mappings for item in mapping.drives]
    assert overruled(project.scene, targets, media=Stages(studio.media).of(project.scene).media) == []
