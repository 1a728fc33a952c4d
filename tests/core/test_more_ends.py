"""Ends, words and defaults that changes on purpose went by."""

import xml.etree.ElementTree as ET

import numpy as np
import pytest
from tests.core.bake.test_checks import findings
from tests.core.formats.hand_offs import leaf

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand_size import n_values
from fern_tide.core.bake.sync import sync
from fern_tide.core.base.signal import spans
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.envelope.bands import band_power, suggest_bands
from fern_tide.core.envelope.envelope import CLEAN_UPS
from fern_tide.core.formats.lottie_shapes import outlines
from fern_tide.core.scene.graphic import GraphicForm, solid
from fern_tide.core.scene.own_motion import moved_by_file
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.numbers import holds_numbers
from fern_tide.core.sound.priming import run_up
from fern_tide.demo.project import demo_project

MOVING = b"""<svg xmlns="http://www.w3.org/2000/svg" width="200" height="100"><g id="bud">
<rect id="tip" width="9" height="9">
<animate attributeName="x" values="0;1" dur="2s"/></rect><text id="word">fern</text></g></svg>"""


@pytest.mark.parametrize(
    ("codec", "samples"), [("mp2float", 481), ("mp1", 481), ("mp3float", 529), ("ac3", 256), ("eac3", 256), ("flac", 0)]
)
def test_codecs_have_the_run_up_of_their_filters(codec, samples):
    assert run_up(codec, b"", frame_samples=1152).samples == samples


def test_stretches_are_as_many_as_fit():
    sound = np.arange(10, dtype=np.float32)[np.newaxis]
    assert spans(sound, length=4, step=3).shape == (1, 3, 4) and spans(sound, length=4, step=2, first=1).shape == (
        1,
        3,
        4,
    )
    assert spans(sound, length=10).shape == (1, 1, 10) and spans(sound, length=11).shape[1] == 0


def test_lags_are_counted_from_end_to_end_of_the_histogram():
    pulse = np.zeros(60)
    pulse[10] = 1.0
    counts = sync(pulse, np.array([10]), fps=30).histogram(reach=7)
    assert counts.shape == (15,) and counts.tolist().index(1) == 7 and counts.sum() == 1


def test_curves_away_from_rest_say_how_far_the_farther_end_is():
    values = np.concatenate([[3.0], np.zeros(58), [9.0]])
    one = Curve(Target.parse("lamp:x"), "Lamp", "Across", "px", "number", values)
    (found,) = findings("open_ends", one, rests={one.target: 0.0})
    assert found.words.endswith("starts and ends 100 % of its range from rest") and found.frame == 0
    assert found.remedy.touch[0] == "silence" and found.remedy.touch[1] > 30
    few = Curve(one.target, "Lamp", "Across", "px", "number", np.array([0.0, 1.0]))
    (found,) = findings("open_ends", few, rests={one.target: 0.0})
    assert found.remedy.touch == ("silence", 0, 2)


def test_values_of_arrays_are_counted_apart_from_all_others():
    array = Part.model_validate({"id": "row", "name": "Row", "shape": {"id": "array_3d"}})
    crate = Part.model_validate({"id": "crate", "name": "Crate", "shape": {"id": "box"}})
    scene = Scene(name="S", kind="3d", parts=(array, crate))
    layout = next(iter(array.shape.params.own_properties("3d"))).id

    def moved(target):
        return Curve(Target.parse(target), "A", "B", "", "number", np.arange(10.0))

    none = n_values(scene, [])
    for target, of_arrays, others in (
        (f"row:{layout}", 120, 0),
        ("row:piece_y", 120, 0),
        ("crate:x", 0, 10),
        ("row:x", 0, 10),
    ):
        arrays, rest = n_values(scene, [moved(target)])
        assert (arrays - none[0] >= of_arrays, rest - none[1]) == (True, others), target
        assert (arrays == none[0]) == (of_arrays == 0), target


def test_a_round_rectangle_begins_where_svg_begins_it_in_lottie():
    element = ET.fromstring('<rect x="10" y="20" width="30" height="8" rx="3"/>')
    (way,) = outlines(element)
    places = np.array(way["ks"]["k"]["v"])
    assert way["ks"]["k"]["c"] and places[0].tolist() == [13, 20] and places[1].tolist() == [37, 20]
    assert places.min(axis=0).tolist() == [10, 20] and places.max(axis=0).tolist() == [40, 28]


def test_numbers_up_to_ten_to_the_thirty_are_taken():
    assert holds_numbers("path", "d", "M0 0L1e30 0") and not holds_numbers("path", "d", "M0 0L1e31 0")
    assert holds_numbers("g", "transform", "translate(1e-99)") and not holds_numbers("g", "transform", "scale(2E+31)")


def test_words_without_a_size_have_sixteen_pixels():
    off = leaf(("tip:left", 0, 1), content=MOVING)
    assert off.scene.part("word").own("text_size") == 16.0


def test_what_a_file_moves_by_itself_is_known_while_it_runs():
    off = leaf(("tip:left", 0, 1), content=MOVING)
    assert moved_by_file(off.scene, media=off.media) == {"tip"}
    still = off.scene.but(files=tuple(file.but(plays=False) for file in off.scene.files))
    assert moved_by_file(still, media=off.media) == frozenset()


@pytest.mark.parametrize("form", [GraphicForm.LINE, GraphicForm.MIRRORED, GraphicForm.RING])
def test_a_graphic_in_space_has_three_numbers_of_each_kind_for_a_vertex(form):
    mesh, moves = solid(form, 6, width=2.0, height=1.0, thickness=0.1)
    assert mesh.positions.shape == mesh.normals.shape == (12, 3) and moves.shape == (6, 12, 3)
    assert mesh.triangles.max() == 11 and mesh.triangles.shape[1] == 3
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1)


def test_a_graph_of_another_length_takes_over_nothing():
    project = demo_project()
    first = Graph(project)
    before = {target: node.fingerprint for target, node in first.curves.items()}
    shorter = project.but(length_frames=100)
    after = {target: node.fingerprint for target, node in Graph(shorter, like=first).curves.items()}
    assert after.keys() == before.keys() and all(after[target] != before[target] for target in before)
    assert {t: n.fingerprint for t, n in Graph(shorter).curves.items()} == after


def test_bands_are_suggested_only_where_something_is_heard():
    edges = np.geomspace(20, 20_000, 200)
    power = np.zeros((199, 50))
    power[60:90, ::5] = 1.0

    def heard(level):
        cumulative = np.concatenate([np.zeros((1, 50)), np.cumsum(power * level, axis=0)])[np.newaxis]
        return suggest_bands(cumulative, edges), float(
            np.sqrt(band_power(cumulative, edges, cuts_hz=edges[[0, -1]])).max()
        )

    bands, loud = heard(1.0)
    assert bands and loud > 1
    assert heard(1e-16)[0] == ()


def test_a_release_that_is_long_becomes_a_smooth_of_ten_seconds_at_most():
    spec = CLEAN_UPS["rise_and_fall"]
    smooth, _ = spec.without_lag(spec.params(rise_ms=9000))
    assert smooth == ("smooth", {"width_ms": 10_000.0})
