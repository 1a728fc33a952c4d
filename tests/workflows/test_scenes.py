"""Scenes that come in, are replaced, and travel with their project."""

import io
import json

import numpy as np
import pytest
from PIL import Image
from tests.gltf import GLB, document, glb
from tests.interchange.test_shaped_models import stems

from fern_tide.core.base.errors import FernTideError, UnreadableProject, UnreadableScene
from fern_tide.core.base.target import Target
from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.scene import PutPart, RemovePart
from fern_tide.core.commands.several import SetValue
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.images import check_image
from fern_tide.workflows.bake.sweep import sweep
from fern_tide.workflows.bring_in import scenes
from fern_tide.workflows.bring_in.scene_files import empty_scene, look_at
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.hand_off import writing
from fern_tide.workflows.tune import anchoring, edits, make_part, several

SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 30">
<g id="Leaf"><path id="Vein" fill="red" d="M0 0L4 4"/></g></svg>"""


def picture(kind="PNG", size=(60, 40)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#406030").save(out, kind)
    return out.getvalue()


@pytest.fixture
def key(demo_key):
    return demo_key


def scene_of(studio, key):
    return studio.projects.current(key).document.scene


def drive(studio, key, target, *, mapping="m", full=4.0):
    current = studio.projects.current(key)
    drives = (Drive(target=Target.parse(target), rest=0.0, full=full),)
    envelope = current.document.envelopes[0].id
    made = Mapping(id=mapping, name="M", envelope=envelope, marks=Marks(low=0.1, high=0.9), drives=drives)
    return edits.edit(studio, key, PutMapping(mapping=made), base=current.id)


@pytest.mark.parametrize(
    ("files", "kind", "space"),
    [
        ({"a.svg": SVG}, "svg", "2d"),
        ({"wrong.png": SVG}, "svg", "2d"),
        ({"a.glb": GLB}, "gltf", "3d"),
        ({"a.jpg": GLB}, "gltf", "3d"),
        ({"a.png": picture()}, "image", "2d"),
        ({"a": picture("JPEG")}, "image", "2d"),
        ({"a.webp": picture("WEBP")}, "image", "2d"),
    ],
)
def test_a_file_is_known_by_its_content_not_its_name(files, kind, space):
    found = look_at(files)
    assert (found.kind, found.space) == (kind, space)


@pytest.mark.parametrize(
    ("files", "why"),
    [
        ({}, "No file came"),
        ({"a.svg": b""}, "a.svg is empty"),
        ({"a.svg": b"plain text"}, "no SVG, no glTF and no picture"),
        ({"a.png": picture()[:60]}, "no SVG, no glTF and no picture"),
        ({"a.gif": b"GIF89a" + bytes(40)}, "no SVG, no glTF and no picture"),
        ({"<b>.exe": bytes(500)}, "no SVG"),
        ({"a.gltf": b'{"asset":{"version":"2.0"},"buffers":[{"uri":"a.bin","byteLength":4}]}'}, "a.bin did not come"),
    ],
)
def test_what_is_no_scene_is_refused_and_the_project_stays_as_it_was(studio, key, files, why):
    before = studio.projects.current(key)
    kept = sorted(studio.settings.data.joinpath("media").iterdir())
    with pytest.raises(UnreadableScene, match=why):
        scenes.bring_in(studio, key, files, replace=True)
    assert studio.projects.current(key).id == before.id
    assert sorted(studio.settings.data.joinpath("media").iterdir()) == kept


def test_a_picture_with_too_many_pixels_is_refused_before_it_is_decoded(monkeypatch):
    monkeypatch.setattr("fern_tide.core.scene.images.MOST_PIXELS", 100)
    with pytest.raises(UnreadableScene, match="million pixels"):
        check_image(picture(size=(61, 41)))


def test_an_svg_is_added_behind_what_is_there(studio, key):
    before = scene_of(studio, key)
    made = scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False)
    scene = made.revision.document.scene
    assert scene.parts[: len(before.parts)] == before.parts
    assert [part.name for part in scene.parts[len(before.parts) :]] == ["leaf", "Leaf", "Vein"]
    assert made.revision.undo == "Bring in leaf.svg"
    assert len(made.revision.document.mappings) == 4
    drawn = markup(draw(scene, media=Stages(studio.media).of(scene).media))
    assert 'viewBox="0 0 40 30"' in drawn and 'fill="#ff0000"' in drawn


def test_a_scene_that_replaces_another_keeps_the_mappings_of_parts_with_the_same_names(studio, key):
    lamp = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><g id="Lamp glow"/><g id="Rain"/></svg>'
    made = scenes.bring_in(studio, key, {"new.svg": lamp}, replace=True)
    mappings = {mapping.name: mapping for mapping in made.revision.document.mappings}
    assert set(mappings) == {"Lamp glow", "Rain on glass"}
    assert [str(d.target) for d in mappings["Lamp glow"].drives] == [
        f"lamp-glow:{n}" for n in ("opacity", "scale_x", "scale_y")
    ]
    assert "Cloche 1, height" in made.lost and len(made.lost) == 15
    assert (made.revision.document.scene.width, made.revision.document.scene.height) == (400, 400)


def test_an_element_is_not_taken_out_of_its_file_but_the_file_goes_whole(studio, key):
    project = scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False).revision.document
    with pytest.raises(FernTideError, match="Vein came with its file"):
        RemovePart(id="vein").apply(project)
    gone = RemovePart(id="leaf").apply(project).scene
    assert gone.files == () and not any(part.name == "Vein" for part in gone.parts)


def test_kinds_do_not_mix(studio, key):
    with pytest.raises(FernTideError, match="a.glb is 3D, and this stage is 2D"):
        scenes.bring_in(studio, key, {"a.glb": GLB}, replace=False)


def test_a_new_version_of_a_file_relinks_by_name_and_says_what_is_gone_and_what_is_new(studio, key):
    scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True)
    scene = scene_of(studio, key)
    ids = {part.name: part.id for part in reversed(scene.parts)}  # of two names the node's
    drive(studio, key, f"{ids['Frond']}:shape_0", mapping="a", full=1.0)
    drive(studio, key, f"{ids['Glow']}:x", mapping="b")
    plain, binary = document()
    plain["nodes"][2]["name"] = "Lantern"
    plain["nodes"][1]["translation"] = [9, 0, 0]
    made = scenes.replace_file(studio, key, scene.files[0].id, {"fern two.glb": glb(plain, binary)})
    project = made.revision.document
    assert [mapping.id for mapping in project.mappings] == ["a"]
    assert project.scene.part(ids["Frond"]).own("x") == 9
    assert made.lost == ("Glow, across",) and made.fresh == ("Lantern",)
    assert project.scene.files[0].name == "fern two.glb"
    with pytest.raises(FernTideError, match="no gltf file"):
        scenes.replace_file(studio, key, scene.files[0].id, {"a.svg": SVG})


def test_shapers_of_a_model_stay_when_its_file_is_replaced_where_they_still_can(studio, key):
    scenes.bring_in(studio, key, {"stems.glb": stems()[0]}, replace=True)
    bend = {"slot": 1, "shaper": {"id": "bend"}}
    add = AddEntry(owner=Owner.PART, id="stem", path="shapers", value=bend)
    head = edits.edit(studio, key, add, base=studio.projects.current(key).id).id
    edits.edit(studio, key, SetValue(target="stem:shaper1_amount", value=25.0), base=head)
    file = scene_of(studio, key).files[0].id
    again = scenes.replace_file(studio, key, file, {"stems.glb": stems()[0]}).revision.document.scene.part("stem")
    assert again.own("shaper1_amount") == 25 and [one.shaper.id for one in again.shapers] == ["bend"]
    other = scenes.replace_file(studio, key, file, {"stems.glb": stems(own_shapes=True)[0]})
    assert other.revision.document.scene.part("stem").shapers == ()


def test_parts_made_here_stay_when_a_file_is_replaced(studio, key):
    made = scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=False).revision
    disc = make_part.new_part(made.document.scene, "ellipse")
    edits.edit(studio, key, disc, base=made.id)
    file = scene_of(studio, key).files[0].id
    again = scenes.replace_file(studio, key, file, {"leaf.svg": SVG.replace(b"Vein", b"Rib")})
    names = [part.name for part in again.revision.document.scene.parts]
    assert names[-4:] == ["leaf", "Leaf", "Rib", "Ellipse 2"] and again.fresh == ("Rib",)


BARS = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 90">%s</svg>'


def bars(*numbers):
    return BARS % b"".join(b'<rect id="bar-%d" x="%d" width="8" height="40"/>' % (n, 10 * n) for n in numbers)


def test_what_moves_as_one_stays_together_when_its_file_is_replaced_and_is_let_go(studio, key):
    made = scenes.bring_in(studio, key, {"bars.svg": bars(1, 2, 3, 4)}, replace=True).revision
    stage = Stages(studio.media).of(made.document.scene)
    gather = several.gather(stage, ["bar-1", "bar-3", "bar-4"])
    assert (gather.anchor.x, gather.anchor.y, gather.name) == (29.0, 20.0, "3 bars")
    together = edits.edit(studio, key, gather, base=made.id).document.scene
    corner = anchoring.anchored(Stages(studio.media).of(together), ["3-bars"], word="bottom right")[0]
    assert (corner.anchors["3-bars"].x, corner.anchors["3-bars"].y) == (48.0, 40.0)
    drive(studio, key, "3-bars:turn")
    drive(studio, key, "bar-3:scale_y", mapping="b")
    again = scenes.replace_file(studio, key, made.document.scene.files[0].id, {"bars.svg": bars(0, 1, 2, 3)})
    scene = again.revision.document.scene
    assert {part.id for part in scene.moved_with("3-bars")} == {"bar-1", "bar-3"} and not again.lost
    base = studio.projects.current(key).id
    with pytest.raises(FernTideError, match="3 bars is moved by"):
        edits.edit(studio, key, RemovePart(id="3-bars"), base=base)
    left = edits.edit(studio, key, RemovePart(id="3-bars", with_users=True), base=base).document
    assert {part.parent for part in left.scene.parts if part.id.startswith("bar-")} == {"bars"}
    assert [mapping.id for mapping in left.mappings] == ["b"]


def test_an_empty_3d_stage_has_a_light_and_a_camera(studio, key):
    made = scenes.new_stage(studio, key, "3d")
    assert [part.shape.id for part in made.revision.document.scene.parts] == ["sun", "camera"]
    assert made.revision.document.mappings == () and len(made.lost) == 20
    assert scenes.new_stage(studio, key, "2d").revision.document.scene.parts == ()


@pytest.mark.parametrize("kind", ["ellipse", "rectangle", "polygon", "star", "line", "path", "text", "group", "glow"])
def test_a_2d_part_is_made_in_the_middle_where_it_can_be_seen(studio, key, kind):
    command = make_part.new_part(scene_of(studio, key), kind)
    assert isinstance(command, PutPart) and (command.part.anchor.x, command.part.anchor.y) == (960, 540)
    assert command.apply(studio.projects.current(key).document).scene.parts[-1].shape.id == kind


@pytest.mark.parametrize("kind", ["box", "bell_jar", "point_light", "spot_light", "sun", "camera", "group_3d"])
def test_a_3d_part_is_made_and_solids_offer_base_centre_and_top(kind):
    scene = empty_scene("3d")
    part = make_part.new_part(scene, kind).part
    assert scene.but(parts=(*scene.parts, part)).part(part.id).name == part.name
    anchors = make_part.middle_of(part)
    if part.kind.solid:
        assert anchors["base"].y == 0 < anchors["centre"].y < anchors["top"].y
        assert anchors["centre"].y == pytest.approx(anchors["top"].y / 2)
    else:
        assert anchors == {}


def test_parts_that_do_not_belong_are_not_made(studio, key):
    scene = scene_of(studio, key)
    for kind in ("box", "svg_element", "image"):
        with pytest.raises(FernTideError, match="kind of part"):
            make_part.new_part(scene, kind)
    with pytest.raises(FernTideError, match="a picture"):
        make_part.copied(scene, "rain", middle=True)


def test_the_middle_of_a_photo_is_a_part_of_its_own(studio, key):
    made = scenes.bring_in(studio, key, {"pane.jpg": picture("JPEG", (300, 200))}, replace=True).revision
    (photo,) = made.document.scene.parts
    command = make_part.copied(made.document.scene, photo.id, middle=True)
    scene = edits.edit(studio, key, command, base=made.id).document.scene
    middle = scene.parts[1]
    assert (middle.anchor.x, middle.anchor.y) == pytest.approx((scene.width / 2, scene.height / 2), abs=1)
    drawn = markup(draw(scene, media=Stages(studio.media).of(scene).media))
    assert drawn.count("<image") == 2 and drawn.count('href="data:image/jpeg;base64,') == 2
    assert drawn.count("<mask") == 1 and drawn.count("<ellipse") == 1


def test_a_project_travels_with_its_scene(studio, key):
    for files in ({"fern.glb": GLB}, {"leaf.svg": SVG}, {"pane.png": picture()}):
        scenes.bring_in(studio, key, files, replace=True)
        project = studio.projects.current(key).document
        with writing.export_project(studio, project) as out:
            again = writing.import_project(studio, out).document
        assert again.scene == project.scene
        sweep(studio)
        Stages(studio.media).of(again.scene)


def test_a_project_file_with_a_hostile_scene_is_refused(studio, key):
    made = scenes.bring_in(studio, key, {"leaf.svg": SVG}, replace=True).revision
    hostile = b'<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'
    digest = studio.media.add([hostile], most=1000)
    file = made.document.scene.files[0].model_copy(update={"media": digest})
    project = made.document.but(scene=made.document.scene.but(files=(file,)))
    before = len(studio.projects.all())
    with (
        writing.export_project(studio, project) as out,
        pytest.raises((UnreadableScene, UnreadableProject), match="not safe"),
    ):
        writing.import_project(studio, out)
    assert len(studio.projects.all()) == before


def test_a_stage_is_read_once_for_as_long_as_it_is_looked_at(studio, key, monkeypatch):
    scenes.bring_in(studio, key, {"fern.glb": GLB}, replace=True)
    stages, scene = Stages(studio.media), scene_of(studio, key)
    first = stages.of(scene)
    assert stages.of(scene) is first
    monkeypatch.setattr(studio.media, "read", lambda digest: pytest.fail("read again"))
    moved = scene.but(name="Other")
    assert stages.of(moved).media is first.media
    *nodes, whole = json.loads(first.glb[20 : 20 + int.from_bytes(first.glb[12:16], "little")])["nodes"]
    assert nodes == document()[0]["nodes"] and whole == {"name": "fern", "children": [0, 2, 3]}


def test_looks_change_with_what_is_seen_and_not_with_names(studio, key):
    stages, scene = Stages(studio.media), scene_of(studio, key)
    looks = stages.of(scene).looks
    renamed = tuple(part.model_copy(update={"name": "X"}) for part in scene.parts)
    assert stages.of(scene.but(parts=renamed)).looks == looks
    moved = tuple(part.model_copy(update={"values": part.values | {"x": 1.0}}) for part in scene.parts)
    assert stages.of(scene.but(parts=moved)).looks != looks
    assert stages.of(scene.but(background="#ffffff")).looks != looks


@pytest.mark.parametrize("reading", ["bank", "waveform"])
def test_a_sound_draws_a_graphic_with_one_mapping_and_draws_it_anew(studio, key, reading):
    levels = levels_of(studio)
    scene = scene_of(studio, key)
    graphic = make_part.new_part(scene, "sound_graphic")
    edits.edit(studio, key, graphic, base=studio.projects.current(key).id)
    part_id = graphic.part.id
    for _ in range(2):
        current = studio.projects.current(key)
        command = make_part.drawn_by_sound(levels, current.document, part_id, reading=reading)
        edits.edit(studio, key, command, base=current.id)
    project = studio.projects.current(key).document
    (mapping,) = make_part.drawing(project, part_id)
    assert mapping.spread and len(mapping.drives) == 24
    lift = levels.lift(project, mapping)
    assert lift.shape == (24, project.n_frames) and lift.max() == 1 and lift.min() == 0
    curves = levels.curves(project, [d.target for d in mapping.drives])
    assert len(curves) == 24 and any(np.ptp(curve.values) > 0.5 for curve in curves)
    assert edits.lane_lift(levels, project, mapping).shape == (project.n_frames,)
    assert edits.sheet(levels, project, mapping).transfers.shape == (24, 129)
    with pytest.raises(FernTideError, match="a sound graphic"):
        make_part.drawn_by_sound(levels, project, "rain", reading=reading)
