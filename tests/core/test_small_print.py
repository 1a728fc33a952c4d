"""Small things that no picture shows and that a person would notice sooner or later, each worked out by hand."""

import io
import json
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from tests.conftest import read, sine, wav
from tests.core.formats.hand_offs import GLB_FILE
from tests.core.scene.test_svg import FILE as LEAF
from tests.core.scene.test_svg import svg

from fern_tide.core.bake.checking import CHECKS
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import UnreadableSound
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import listed
from fern_tide.core.commands.scene import SetPlays
from fern_tide.core.commands.soundtrack import SetRate
from fern_tide.core.envelope.points import read_points
from fern_tide.core.formats import format as formats
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import Gltf
from fern_tide.core.scene.gltf.parts import parts_of as parts_of_gltf
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.graphic import GraphicForm, level_properties, solid
from fern_tide.core.scene.parts.image import ImageParams, draw
from fern_tide.core.scene.scene import PART_KINDS, PartChoice, Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.scene.svg.style import declarations
from fern_tide.core.sound.decimated import decimation
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.onsets import band_filters, rise_edges_hz
from fern_tide.core.sound.spectrogram import shown
from fern_tide.demo.project import demo_project

LAMP = Target(part="lamp", property="turn")
RATE = FrameRate.parse("30")


def curve(values, kind="number", target=LAMP):
    return Curve(target, "Lamp", "Turn", "°", kind, np.asarray(values, dtype=np.float64))


@pytest.mark.parametrize(("names", "words"), [(["a"], "a"), (["a", "b"], "a and b"), (["a", "b", "c"], "a, b and c")])
def test_names_are_listed_as_people_say_them(names, words):
    assert listed(names) == words


def test_a_still_curve_is_off_by_what_it_is_off():
    hand_off = HandOff("D", demo_project().scene, (curve(np.full(5, 3.0)),), RATE, 5)
    off = replace(FORMATS["csv"], read_back=lambda content, hand_off, params: {LAMP: np.full(5, 3.25)})
    assert write(hand_off, format=off).error == 0.25
    moving = replace(hand_off, curves=(curve([0, 2, 4, 2, 0]),))
    off = replace(off, read_back=lambda content, hand_off, params: {LAMP: np.array([0, 2, 4, 2, 1.0])})
    assert write(moving, format=off).error == 0.25, "a share of its span"


def test_keys_may_be_off_by_just_so_many_percent(monkeypatch):
    asked = []
    monkeypatch.setattr(formats, "thin", lambda rows, *, tolerance, **more: asked.append(tolerance))
    params = FORMATS["json"].params(error_percent=2)
    params.keys(np.array([[0.0, 5.0, 10.0]]))
    params.keys(np.array([[0.0, 5.0, 10.0]]), spans=np.array([50.0]))
    assert [item.tolist() for item in asked] == [[0.2], [1.0]]


def test_defaults_lie_within_their_ranges():
    for kind in PART_KINDS.values():
        params = kind.params()
        more = kind.more(params) if kind.more else ()
        for item in (*kind.properties, *more):
            if item.kind == "number":
                assert item.low is None or item.low <= item.default, (kind.id, item.id)
                assert item.high is None or item.default <= item.high, (kind.id, item.id)
    textured = PartChoice.model_validate(
        {"id": "gltf_material", "params": {"has": "cutoff base normal occlusion emissive roughness"}}
    )
    for item in textured.spec.more(textured.params):
        assert item.low is None or item.low <= item.default <= (item.high if item.high is not None else np.inf)


def test_levels_of_a_graphic_are_called_by_their_place():
    first, second = level_properties(2)
    assert (first.id, first.label, second.id, second.label) == ("level_0", "Level 1", "level_1", "Level 2")
    assert first.suggest_ends(0.0) == (0.0, 1.0)


def test_bars_of_a_graphic_grow_at_their_tops_only():
    mesh, moves = solid(GraphicForm.BARS, 3, width=3.0, height=2.0, thickness=0.1)
    raised = moves[:, :, 1] > 0
    assert (mesh.positions[raised.any(axis=0), 1] > 0).all()
    assert not raised[:, mesh.positions[:, 1] == 0].any()
    assert moves.max() == 2.0 and (raised.sum(axis=0) <= 1).all()


@pytest.mark.parametrize("window", [512, 2048])
def test_bins_are_shared_out_among_the_bands_they_lie_in(window):
    shares, rate_hz, edges = band_filters(window, 44_100), 44_100, rise_edges_hz()
    bin_hz = rate_hz / window
    for bin_at in (0, 1, 5, 40, len(shares) // 2 - 1):
        low, high = max(bin_at - 0.5, 0.0) * bin_hz, (bin_at + 0.5) * bin_hz
        wanted = [max(0.0, min(high, b) - max(low, a)) / (high - low) for a, b in pairwise(edges)]
        assert shares[2 * bin_at] == pytest.approx(wanted, abs=1e-6)
        assert (shares[2 * bin_at] == shares[2 * bin_at + 1]).all()


def test_a_drawing_is_fitted_as_large_as_it_goes():
    root = parts_of(Sheet(read_svg(svg("<path d='M0 0L1 1'/>"))), LEAF, ids=Ids(), limit_to=(400, 100))[0]
    assert (root.shape.params.width, root.shape.params.height) == (200.0, 100.0), "200 by 100 into 400 by 100"
    root = parts_of(Sheet(read_svg(svg("<path d='M0 0L1 1'/>"))), LEAF, ids=Ids(), limit_to=(100, 100))[0]
    assert (root.shape.params.width, root.shape.params.height) == (100.0, 50.0)
    assert (root.anchor.x, root.anchor.y) == (50.0, 25.0)


@pytest.mark.parametrize(("links", "note"), [(1, "link to outside"), (2, "2 link to outside")])
def test_what_was_cut_out_is_counted(links, note):
    drawing = read_svg(svg('<use href="http://outside/x.svg"/>' * links))
    assert [item for item in drawing.notes if "link" in item] == [note]


def test_declarations_without_a_value_are_none():
    assert declarations("red; fill:; opacity: 1 ; stroke :teal !important") == (
        ("opacity", "1", False),
        ("stroke", "teal", True),
    )


def test_the_first_joint_is_a_joint():
    plain = {
        "asset": {"version": "2.0"},
        "nodes": [{"name": "Root"}, {"name": "Skin", "skin": 0}],
        "skins": [{"joints": [0]}],
        "scenes": [{"nodes": [0, 1]}],
        "scene": 0,
    }
    assert read_gltf(json.dumps(plain).encode()).json["skins"][0]["joints"] == [0]


def test_a_nodes_matrix_gives_way_to_values_of_its_own():
    plain = {
        "asset": {"version": "2.0"},
        "nodes": [{"name": "Pot", "matrix": [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 4, 5, 6, 1]}],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
    }
    gltf = Gltf(plain, b"", ())
    parts = parts_of_gltf(plain, GLB_FILE, ids=Ids())
    moved = tuple(part.but(values={**part.values, "x": 9.0}) if part.name == "Pot" else part for part in parts)
    scene = Scene(name="s", kind="3d", files=(GLB_FILE,), parts=moved)
    node = build(scene, files={GLB_FILE.media: gltf}).gltf.json["nodes"][0]
    assert "matrix" not in node
    assert node["translation"] == [9.0, 5.0, 6.0] and node["scale"] == [2.0, 2.0, 2.0]


def test_a_work_range_is_never_empty_at_another_rate():
    project = demo_project().but(work=(0, 3))
    assert SetRate(rate=FrameRate.parse("5")).apply(project).work == (0, 1)
    assert SetRate(rate=FrameRate.parse("60")).apply(project).work == (0, 6)


def test_animations_of_one_file_are_switched_off():
    scene = Scene(name="s", files=tuple(SceneFile(id=name, name=name, media="0" * 64, kind="svg") for name in "ab"))
    project = demo_project().but(scene=scene, mappings=())
    assert [file.plays for file in SetPlays(file="b", plays=False).apply(project).scene.files] == [True, False]


def test_a_cut_off_sound_says_how_much_is_there():
    content = wav(sine(440, seconds=3.0), subtype="PCM_16")
    with pytest.raises(UnreadableSound, match="holds 3.0 seconds of sound, but only 1.0 seconds") as wrong:
        measure(io.BytesIO(content[: 44 + 48_000 * 2]))
    assert wrong.value.data["claimed_s"] == pytest.approx(3.0) and wrong.value.data["held_s"] == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("field", "value", "pushed"),
    [
        ("low", 0.05, False),
        ("high", 0.9, False),
        ("scale", 0.05, False),
        ("low", "x", False),
        ("high", "-120dB", True),
        ("low", 0.7, True),
    ],
)
def test_a_mark_pushes_only_what_it_reaches(field, value, pushed):
    other = Marks(low=0.1, high=0.5).pushed(field, value)
    assert bool(other) == pushed
    assert set(other) <= {"low", "high"} - {field}


def test_a_mask_is_drawn_about_its_middle():
    params = {"file": "f", "mask_x": 100, "mask_y": 60, "mask_width": 40, "mask_height": 20}
    ellipse = draw(ImageParams(**params, mask="ellipse"), "p").children[0].children[0]
    assert ellipse.attributes == {"cx": "100", "cy": "60", "rx": "20", "ry": "10", "fill": "#ffffff"}
    box = draw(ImageParams(**params, mask="rectangle"), "p").children[0].children[0]
    assert box.attributes == {"x": "80", "y": "50", "width": "40", "height": "20", "fill": "#ffffff"}


@pytest.mark.parametrize(("first", "last", "columns"), [(0, 10, 10), (0.5, 9.5, 4), (-2.25, 14.0, 7), (3.2, 3.9, 3)])
def test_a_column_of_a_spectrogram_is_the_loudest_of_its_frames(first, last, columns):
    picture = np.random.default_rng(4).integers(0, 255, (3, 12)).astype(np.uint8)
    edges = [first + at * (last - first) / columns for at in range(columns + 1)]
    drawn = shown(picture, first=first, last=last, columns=columns)
    for column, (low, high) in enumerate(pairwise(edges)):
        start, end = int(np.floor(low)), max(int(np.floor(low)) + 1, int(np.floor(high)))
        frames = [at for at in range(start, end) if 0 <= at < 12]
        wanted = picture[:, frames].max(axis=1) if frames else np.zeros(3)
        assert (drawn[:, column] == wanted).all(), column


def test_a_filter_for_fewer_samples_is_as_long_as_its_fall_asks_for():
    from scipy.signal import kaiserord

    taken = decimation(1000.0, sample_rate_hz=48_000)
    fall = (48_000 / taken.factor - 2000.0) / 24_000
    taps, _ = kaiserord(80.0, fall)
    assert 0.7 * taps < len(taken.taps) < 1.6 * taps
    assert taken.before == len(taken.taps) // 2 and taken.after > taken.before


def test_a_narrow_band_of_the_loudest_channel_is_that_channels():
    stereo = np.stack([sine(1000, amplitude=0.5), np.zeros(96_000)])
    level = read(wav(stereo), "band low_hz=980 high_hz=1020 channel=loudest window=fine")
    assert level[30] == pytest.approx(0.5 / np.sqrt(2), rel=0.02)


def test_a_colour_that_moves_in_one_channel_moves():
    moving = np.stack([np.linspace(0, 1, 9), np.full(9, 0.5), np.full(9, 0.5)])
    check = CHECKS["never_moves"]
    assert check.look(curve(moving, "colour"), check.params()) == []
    assert len(check.look(curve(np.full((3, 9), 0.5), "colour"), check.params())) == 1


@pytest.mark.parametrize(
    ("text", "line"),
    [("time_s,value\n0,1\n1,x\n", 3), ("0,1\n1,x\n", 2), ("0,1e13\n1,2\n", 1), ("time_s,value\n0\n", 2)],
)
def test_a_bad_line_of_a_curve_is_named_by_its_number(text, line):
    with pytest.raises(Exception, match=f"Line {line} of the curve"):
        read_points(text.encode())
