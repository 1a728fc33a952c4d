"""Parts that are made by hand: each kind can be seen at once, driven at once, copied, and goes home."""

import numpy as np
import pytest
from tests.gltf import GLB
from tests.workflows.test_scenes import SVG, picture

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import PART_KINDS, Scene
from fern_tide.workflows.bring_in import scenes
from fern_tide.workflows.bring_in.scene_files import empty_scene, look_at, look_at_all, scene_of
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.tune import aiming, edits, make_part

OFFERED = {kind.id: kind for kind in PART_KINDS.values() if kind.offered and kind.looks and not kind.pieces}
FLAT, SOLID = (sorted(name for name, kind in OFFERED.items() if kind.space == space) for space in ("2d", "3d"))
RATE, FRAMES = FrameRate.parse("25"), 12
LIFT = np.linspace(0, 1, FRAMES)


def with_part(scene, kind):
    part = make_part.new_part(scene, kind).part
    return scene.but(parts=(*scene.parts, part)), part


def handed_off(scene, part):
    """Move every property of a part, and write that."""
    drives = tuple(
        Drive(target=Target(part=part.id, property=item.id), rest=rest, full=full)
        for item in part.properties
        for rest, full in [item.suggest_ends(part.own(item.id))]
    )
    mapping = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    curves = bake(scene, [mapping], lifts={"m": LIFT}, n_frames=FRAMES)
    return HandOff("Made", scene, curves, RATE, FRAMES)


@pytest.mark.parametrize("kind", FLAT)
def test_a_2d_part_is_seen_in_the_middle_and_everything_of_it_can_go_home(kind):
    scene, part = with_part(Scene(name="New", width=640, height=480), kind)
    assert (part.anchor.x, part.anchor.y) == (320, 240)
    drawn = markup(draw(scene))
    assert f'id="{part.id}--own"' in drawn
    if part.has("fill"):
        assert part.own("fill") in drawn
    if part.properties:
        made = write(handed_off(scene, part), format=FORMATS["svg"])
        assert made.error < 1e-3 and made.n_curves == len(part.properties)


@pytest.mark.parametrize("kind", SOLID)
def test_a_3d_part_stands_on_the_ground_and_everything_of_it_can_go_home(kind):
    scene, part = with_part(Scene(name="New", kind="3d"), kind)
    assert part.anchor.word == "base"
    built = build(scene, files={})
    assert set(built.places) == {part.id}
    made = write(handed_off(scene, part), format=FORMATS["gltf"])
    assert made.error < 1e-5 and made.n_curves == len(part.properties)


@pytest.mark.parametrize("kind", sorted(OFFERED))
def test_a_second_one_has_a_name_and_an_id_of_its_own_and_a_copy_is_like_it(kind):
    scene = Scene(name="New", kind=OFFERED[kind].space)
    scene, first = with_part(scene, kind)
    scene, second = with_part(scene, kind)
    assert second.name == f"{first.name} 2" and second.id != first.id
    copy = make_part.copied(scene, first.id).part
    assert copy.id not in {first.id, second.id} and copy.name == f"{first.name} copy"
    assert (copy.shape, copy.values, copy.anchor) == (first.shape, first.values, first.anchor)


@pytest.mark.parametrize(("space", "kind"), [("2d", "box"), ("3d", "star"), ("2d", "svg_file"), ("3d", "gltf_node")])
def test_a_kind_that_such_a_stage_does_not_have_is_refused(space, kind):
    with pytest.raises(InvalidParameter, match="kind of part"):
        make_part.new_part(Scene(name="New", kind=space), kind)


def test_only_a_picture_has_a_middle_that_can_be_freed():
    scene, star = with_part(Scene(name="New"), "star")
    with pytest.raises(InvalidParameter, match="picture"):
        make_part.copied(scene, star.id, middle=True)
    photo = scene_of(look_at({"pane.png": picture()}), "0" * 64)
    freed = make_part.copied(photo, photo.parts[0].id, middle=True).part
    params = freed.shape.params
    assert params.mask == "ellipse" and (freed.anchor.x, freed.anchor.y) == (params.mask_x, params.mask_y)
    assert freed.name == "pane, middle"


def test_what_came_with_a_file_is_not_copied():
    scene = scene_of(look_at({"fern.glb": GLB}), "0" * 64)
    with pytest.raises(InvalidParameter, match="made here"):
        make_part.copied(scene, "frond")


# --- the first thing to drive, on stages of all kinds


@pytest.fixture
def demo(studio, demo_key):
    return levels_of(studio), studio.projects.current(demo_key).document


SCENES = {
    "2D file": lambda: scene_of(look_at({"leaf.svg": SVG}), "0" * 64),
    "3D file": lambda: scene_of(look_at({"fern.glb": GLB}), "0" * 64),
    "picture": lambda: scene_of(look_at({"pane.png": picture()}), "0" * 64),
    "new 3D": lambda: empty_scene("3d"),
    "a graphic": lambda: with_part(Scene(name="New"), "sound_graphic")[0],
    "a sun": lambda: with_part(Scene(name="New", kind="3d"), "sun")[0],
}


@pytest.mark.parametrize("name", SCENES)
def test_a_first_mapping_drives_something_that_is_there(demo, name):
    levels, project = demo
    bare = project.but(scene=SCENES[name](), mappings=())
    envelope, target = aiming.first_choice(bare)
    part, item = bare.scene.resolve(target)
    assert not is_level(item.id)
    made = edits.new_mapping(levels, bare, envelope_id=envelope, target=target)
    assert made.drives[0].target == target and made.name.startswith(part.name)
    more = aiming.next_target(bare, made)
    assert more != target and not is_level(bare.scene.resolve(more)[1].id)


def test_a_first_mapping_leaves_alone_what_is_driven_already(demo):
    _, project = demo
    _, target = aiming.first_choice(project)
    assert target not in {drive.target for mapping in project.mappings for drive in mapping.drives}


def test_an_empty_stage_says_what_is_missing(demo):
    _, project = demo
    with pytest.raises(InvalidParameter, match="nothing drives yet"):
        aiming.first_choice(project.but(scene=Scene(name="New"), mappings=()))


# --- several files at once


def test_drawings_and_pictures_that_come_together_are_all_added(studio, demo_key):
    key = demo_key
    before = studio.projects.current(key).document.scene
    made = scenes.bring_in(studio, key, {"leaf.svg": SVG, "pane.png": picture()}, replace=False)
    scene = made.revision.document.scene
    assert [file.name for file in scene.files] == ["leaf.svg", "pane.png"]
    assert len(scene.parts) == len(before.parts) + 4
    assert made.revision.undo == "Bring in leaf.svg and 1 more"
    replaced = scenes.bring_in(studio, key, {"pane.png": picture(), "leaf.svg": SVG}, replace=True)
    assert [file.kind for file in replaced.revision.document.scene.files] == ["image", "svg"]


def test_one_bad_file_among_many_keeps_all_of_them_out(studio, demo_key):
    key = demo_key
    before = studio.projects.current(key)
    with pytest.raises(FernTideError, match="notes.txt is no SVG"):
        scenes.bring_in(studio, key, {"leaf.svg": SVG, "notes.txt": b"hello there"}, replace=False)
    assert studio.projects.current(key).id == before.id


def test_a_file_is_replaced_with_one(studio, demo_key):
    key = demo_key
    scene = scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False).revision.document.scene
    with pytest.raises(FernTideError, match="with one"):
        scenes.replace_file(studio, key, scene.files[0].id, {"a.svg": SVG, "b.svg": SVG})


def test_a_gltf_and_what_it_needs_are_one_thing():
    assert [found.kind for found in look_at_all({"fern.glb": GLB, "unused.bin": b"1234"})] == ["gltf"]
    assert [found.kind for found in look_at_all({"a.svg": SVG, "b.svg": SVG})] == ["svg", "svg"]


def test_a_project_begins_with_several_files(studio):
    made = scenes.start_with_scene(studio, {"leaf.svg": SVG, "pane.png": picture()}).revision
    assert made.document.name == "leaf" and len(made.document.scene.files) == 2


def test_a_file_that_is_not_there_is_named(studio, demo_key):
    key = demo_key
    with pytest.raises(UnknownName, match="no file nowhere"):
        scenes.replace_file(studio, key, "nowhere", {"a.svg": SVG})


def test_media_without_its_file_leaves_the_part_out_of_the_drawing():
    scene = scene_of(look_at({"leaf.svg": SVG}), "0" * 64)
    drawn = markup(draw(scene, media=SceneMedia()))
    assert 'id="leaf--own"' in drawn and "vein" not in drawn
