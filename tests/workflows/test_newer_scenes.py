"""Newer versions of drawings and models: what moves, and what hands did to their parts, stays."""

import pytest
from tests.gltf import GLB, document, glb
from tests.workflows.test_scenes import SVG, drive, scene_of

from fern_tide.core.base.naming import name_of
from fern_tide.core.commands.field import Owner, SetField
from fern_tide.core.commands.several import SetValue
from fern_tide.workflows.bring_in import scenes
from fern_tide.workflows.tune import edits


def named(studio, key, part_id, name):
    command = SetField(owner=Owner.PART, id=part_id, path="name", value=name)
    return edits.edit(studio, key, command, base=studio.projects.current(key).id)


@pytest.mark.parametrize(
    ("first", "second", "part"),
    [({"leaf.svg": SVG}, {"leaf v2.svg": SVG + b" "}, "Vein"), ({"fern.glb": GLB}, {"fern 2.glb": GLB}, "Glow")],
)
def test_what_was_renamed_by_hand_and_the_whole_file_stay_driven_in_a_newer_file(studio, key, first, second, part):
    scenes.bring_in(studio, key, first, replace=True)
    scene = scene_of(studio, key)
    whole = scene.parts[0]
    renamed = next(item for item in scene.parts if item.name == part and item.has("x"))
    drive(studio, key, f"{whole.id}:scale_x", mapping="whole")
    drive(studio, key, f"{renamed.id}:x", mapping="part")
    named(studio, key, renamed.id, "Caretaker's favourite")
    before = scene_of(studio, key)
    made = scenes.replace_file(studio, key, scene.files[0].id, second)
    after = made.revision.document
    assert made.lost == () and made.fresh == ()
    assert [mapping.drives[0].target.part for mapping in after.mappings] == [whole.id, renamed.id]
    assert [item.id for item in after.scene.parts] == [item.id for item in before.parts]
    assert after.scene.part(renamed.id).name == "Caretaker's favourite"
    assert after.scene.part(whole.id).name == name_of(next(iter(second)))  # the file's, which nobody changed
    named(studio, key, whole.id, "All of it")
    again = scenes.replace_file(studio, key, scene.files[0].id, first).revision.document
    assert again.scene.part(whole.id).name == "All of it"
    assert again.scene.part(renamed.id).name == "Caretaker's favourite" and len(again.mappings) == 2


def test_a_file_whose_older_version_cannot_be_read_is_linked_by_the_names_of_its_parts(studio, key):
    scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=True)
    scene = scene_of(studio, key)
    ids = [part.id for part in scene.parts]
    studio.media.path(scene.files[0].media).unlink()
    made = scenes.replace_file(studio, key, scene.files[0].id, {"leaf.svg": SVG + b" "})
    assert [part.id for part in made.revision.document.scene.parts] == ids and made.fresh == ()


def test_values_that_a_hand_set_stay_and_those_of_the_file_become_its_newer_ones(studio, key):
    scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True)
    scene = scene_of(studio, key)
    frond = next(item for item in scene.parts if item.name == "Frond")
    head = edits.edit(studio, key, SetValue(target=f"{frond.id}:y", value=7.0), base=studio.projects.current(key).id)
    plain, binary = document()
    plain["nodes"][1]["translation"] = [9, 8, 5]
    newer = {"fern v2.glb": glb(plain, binary)}
    made = scenes.replace_file(studio, key, scene.files[0].id, newer).revision
    after = made.document.scene.part(frond.id)
    assert [after.own(name) for name in "xyz"] == [9.0, 7.0, 5.0] and head.document.scene.part(frond.id).own("y") == 7.0
    again = scenes.replace_file(studio, key, scene.files[0].id, {"fern.glb": GLB}).revision.document.scene
    assert [again.part(frond.id).own(name) for name in "xz"] == [frond.own(name) for name in "xz"]
    assert again.part(frond.id).own("y") == 7.0
    scenes.replace_file(studio, key, scene.files[0].id, newer)  # its own is 8 now
    edits.edit(studio, key, SetValue(target=f"{frond.id}:y", value=0.0), base=studio.projects.current(key).id)
    plain["nodes"][1]["translation"] = [1, 2, 3]
    made = scenes.replace_file(studio, key, scene.files[0].id, {"fern v3.glb": glb(plain, binary)}).revision
    after = made.document.scene.part(frond.id)
    assert [after.own(name) for name in "xyz"] == [1.0, 0.0, 3.0] and "y" not in after.values
