"""What a missing value means, and what happens exactly at an end: worked out by hand."""

import json
from dataclasses import replace

import numpy as np
import pytest
from tests.core.scene.test_gltf import changed, put
from tests.core.scene.test_svg import parts, svg
from tests.gltf import document, glb

from fern_tide.core.bake.thin import Interpolation, thin
from fern_tide.core.base.errors import FernTideError, UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.commands.command import choice_label
from fern_tide.core.commands.registry import read_command
from fern_tide.core.commands.scene import ArrangePart
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.points import UnreadableCurve, read_points
from fern_tide.core.envelope.readings.band import BandParams
from fern_tide.core.envelope.readings.bank import BankParams
from fern_tide.core.envelope.readings.hits import HitsParams
from fern_tide.core.formats.moments import Moment, write_vtt
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.core.mapping.responses.bounce import RESPONSE as BOUNCE
from fern_tide.core.mapping.responses.bounce import BounceParams
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.parts.path import new_arch
from fern_tide.core.scene.scene import Part, PartChoice, Scene, SceneFile
from fern_tide.core.sound.priming import run_up
from fern_tide.core.sound.spectrogram import average
from fern_tide.demo.project import demo_project

FILE = SceneFile(id="f", name="fern.glb", media="0" * 64, kind="gltf")


def follow(target, source, **more):
    part, name = target.split(":")
    of, named = source.split(":")
    plain = {"target": {"part": part, "property": name}, "source": {"part": of, "property": named}, **more}
    return read_command({"kind": "put_follow", "follow": plain})


def test_a_property_follows_one_thing_and_the_others_keep_theirs():
    project = demo_project()
    before = len(project.scene.follows)
    for command in (follow("lamp:x", "rain:y"), follow("lamp:y", "rain:y"), follow("lamp:x", "rain:x", factor=2)):
        project = command.apply(project)
    found = {str(item.target): (str(item.source), item.factor) for item in project.scene.follows[before:]}
    assert found == {"lamp:y": ("rain:y", 1), "lamp:x": ("rain:x", 2)}


def test_a_part_is_arranged_with_all_that_is_inside_it_and_no_more():
    project = demo_project()
    parts_before = [part.id for part in project.scene.parts]
    group = next(part for part in project.scene.parts if any(item.parent == part.id for item in project.scene.parts))
    inside = [item.id for item in project.scene.branch(group.id)]
    after = [part.id for part in ArrangePart(id=group.id, parent=group.parent, place=10_000).apply(project).scene.parts]
    assert after[-len(inside) :] == inside
    assert [name for name in after if name not in inside] == [name for name in parts_before if name not in inside]
    back = ArrangePart(id=group.id, parent=group.parent, place=0).apply(project).scene.parts
    assert [part.id for part in back[: len(inside)]] == inside


@pytest.mark.parametrize("params", [BandParams, BankParams, HitsParams])
def test_edges_that_are_the_same_are_no_band(params):
    with pytest.raises(FernTideError, match="more than Low, 100 Hz"):
        params(low_hz=100, high_hz=100)
    assert params(low_hz=100, high_hz=100.5).high_hz == 100.5


def test_a_curve_file_may_name_only_some_of_its_columns():
    assert read_points(b"time_s,7,value\n0,9,2\n1,9,3\n").tolist() == [[0.0, 1.0], [2.0, 3.0]]  # times, values
    with pytest.raises(UnreadableCurve):
        read_points(b"time_s\n0\n1\n")


def test_a_cue_lasts_a_second_or_to_the_next_one():
    lines = write_vtt([Moment(1.0, "a"), Moment(1.25, "b"), Moment(5.0, "c")]).splitlines()
    stamps = [line for line in lines if "-->" in line]
    assert [stamp.split(" --> ")[1][-6:] for stamp in stamps] == ["01.250", "02.250", "06.000"]


def test_a_bounce_ends_where_it_should():
    ends = BOUNCE.apply(np.array([0.0, 1.0]), params=BounceParams())
    assert ends.tolist() == [0.0, 1.0]


def test_as_many_steps_as_before_are_compared_one_by_one():
    smooth, stairs = (StepChoice.parse(text) for text in ("stairs levels=3", "stairs levels=4"))
    assert choice_label((smooth, smooth), (smooth, stairs), "Sway") == "Tune stairs of Sway"


def test_keys_of_steps_are_found_to_the_very_last_frame():
    values = np.concatenate([np.zeros(700), [1.0]])
    keys = thin(values, tolerance=0.0, interpolation=Interpolation.STEP)
    assert keys.frames.tolist() == [0, 700] and keys.values.tolist() == [0, 1]
    flat = thin(np.zeros(700), tolerance=0.0, interpolation=Interpolation.STEP)
    assert flat.values.tolist() == [0] * len(flat.frames) and flat.frames[-1] <= 699


def test_what_was_taken_off_is_named_even_if_it_was_the_last():
    stairs, flip = (StepChoice.parse(text) for text in ("stairs levels=3", "flip"))
    assert choice_label((stairs, stairs, flip), (stairs, stairs), "Sway") == "Take flip off Sway"
    assert choice_label((stairs, flip), (flip,), "Sway") == "Take stairs off Sway"


def test_a_new_path_is_a_low_arch_about_its_point():
    assert new_arch(400, 300) == {"data": "M250 360C340 140 460 140 550 360Z"}


def test_two_beats_are_a_grid_and_one_is_none():
    two = Beats(np.array([0.5, 1.0]), 120.0, True, 4, 0)
    grid = beat_grid(BeatSetting(), two, offset_s=0.0, duration_s=2.0)
    np.testing.assert_allclose(grid.times_s, [0.0, 0.5, 1.0, 1.5], atol=1e-9)
    assert (
        len(beat_grid(BeatSetting(), replace(two, times_s=np.array([0.5])), offset_s=0.0, duration_s=2.0).times_s) == 0
    )


def test_the_average_of_a_level_that_stays_is_that_level():
    assert average(np.full((3, 5), 128, dtype=np.uint8)).tolist() == pytest.approx([128] * 3)
    half = np.array([[0, 0, 200, 200]] * 2, dtype=np.uint8)  # silent frames do not count
    assert average(half).tolist() == pytest.approx([200] * 2)
    louder = average(np.array([[100, 200]], dtype=np.uint8))[0]
    assert louder == pytest.approx(200 - 10 * np.log10(2) * 255 / 100, abs=0.2)  # half the power of the louder one


def test_aac_that_names_no_encoder_has_a_frame_of_run_up():
    assert run_up("aac", b"", frame_samples=1024).samples == 1024
    assert run_up("aac", b"", frame_samples=2048).samples == 2048  # bands doubled
    assert run_up("mp3float", b"", frame_samples=1152).samples == 529


# --- SVG


def test_shares_are_numbers_or_percentages():
    gradient = (
        '<linearGradient id="g"><stop id="a" offset="0.75"/><stop id="b" offset="75%"/><stop id="c" offset="7"/>'
        '<stop id="d" offset="much"/></linearGradient>'
    )
    found = parts(svg(gradient + '<rect fill="url(#g)" width="1" height="1"/>'))
    assert [found[name].own("stop_offset") for name in "abcd"] == [0.75, 0.75, 1.0, 0.0]


# --- glTF


def test_a_material_glows_as_much_as_its_file_says_or_once():
    def strength(content):
        made = parts_of(read_gltf(content).json, FILE, ids=Ids())
        return next(part.own("emission_strength") for part in made if part.has("emission_strength"))

    assert strength(changed(put("materials.0.extensions", {}))) == 1.0
    assert strength(glb(*document())) == 4.0


def test_indices_are_whole_numbers_in_one_row():
    for name, value in (("type", "VEC2"), ("componentType", 5126)):
        plain, binary = document()
        plain["accessors"][3] |= {name: value, "count": 3}  # as many bytes as six short numbers
        with pytest.raises(UnreadableScene, match="no whole numbers"):
            read_gltf(glb(plain, binary))


def test_an_index_may_be_the_last_vertex_and_not_one_more():
    plain, binary = document()
    start = plain["bufferViews"][3]["byteOffset"]
    for index, goes in ((3, True), (4, False)):
        content = glb(plain, binary[:start] + index.to_bytes(2, "little") + binary[start + 2 :])
        if goes:
            read_gltf(content)
        else:
            with pytest.raises(UnreadableScene, match="vertex that is not there"):
                read_gltf(content)


def solid(kind):
    part = Part(id=kind, name=kind, shape=PartChoice.model_validate({"id": kind, "params": {}}))
    return build(Scene(name="s", kind="3d", parts=(part,)), files={}).closed()


def test_positions_are_for_vertices_indices_for_elements_and_all_begins_at_whole_words():
    gltf = solid("box")
    used = [gltf.json["accessors"][index] for index in range(3)]
    targets = [gltf.json["bufferViews"][accessor["bufferView"]]["target"] for accessor in used]
    assert targets == [34962, 34962, 34963]  # ARRAY_BUFFER, ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER of the specification
    both = Scene(
        name="s",
        kind="3d",
        parts=tuple(
            Part(id=f"b{size}", name="b", shape=PartChoice.model_validate({"id": "text_3d", "params": {"words": size}}))
            for size in ("i", "il", "ill")
        ),
    )
    built = build(both, files={}).closed()
    starts = [view.get("byteOffset", 0) for view in built.json["bufferViews"]]
    assert all(start % 4 == 0 for start in starts) and len(built.binary) == built.json["buffers"][0]["byteLength"]


def test_a_sketch_draws_only_what_blends_see_through():
    def drawn(mode):
        content = changed(put("materials.0.alphaMode", mode))
        gltf = read_gltf(content)
        file_scene = Scene(name="s", kind="3d", files=(FILE,), parts=parts_of(gltf.json, FILE, ids=Ids()))
        return sketch(build(file_scene, files={FILE.media: gltf}))

    assert 'opacity="0.25"' in drawn("BLEND")  # half of 0.5: both sides of a surface are drawn
    assert "opacity" not in drawn("OPAQUE")


def test_a_picture_that_lies_beside_its_file_is_packed_in():
    plain, _ = document()
    assert "uri" not in json.dumps(plain["images"])
    both = [*plain["images"], {"uri": "data:image/png;base64,AAAA"}]
    with pytest.raises(UnreadableScene, match="PNG"):
        read_gltf(changed(put("images", both)))
