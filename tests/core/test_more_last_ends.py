"""More values at the very edge of a rule: of scenes, their files, and what is kept of a sound."""

import io
from math import ceil

import numpy as np
import pytest
from PIL import Image
from tests.conftest import wav
from tests.core.bake.test_checks import findings
from tests.core.bake.test_expand import part
from tests.core.bake.test_expand import scene as row_of

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import without_motion
from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.bake.sync import sync
from fern_tide.core.base.errors import InvalidParameter, UnreadableScene
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.limits import MOST_FRAMES
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.signal import spans
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.edges import pushed_edges
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.formats.channels import spans_with_anchors
from fern_tide.core.formats.format import HandOff, KeyParams, write
from fern_tide.core.formats.lottie_values import moving
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.live.curves import LiveCurves
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.explain import _between
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene import images
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.search import _first_alike
from fern_tide.core.scene.svg.bounds import shape_box
from fern_tide.core.scene.svg.geometry import MOST_PX, length
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import _Feed
from fern_tide.core.sound.kinds import demuxer_of
from fern_tide.demo.project import demo_project
from fern_tide.store.files import MediaStore


def test_parts_whose_words_lie_elsewhere_are_of_another_sort_whatever_they_score():
    both_head_it, one_lies_in_it = [4, 4], [0, 1]
    worths = np.array([both_head_it, one_lies_in_it], dtype=np.int64).T
    assert _first_alike(worths, np.zeros(2, dtype=np.int64), 1) == [0, 1]


def test_what_has_no_frame_stands_at_nothing_in_lottie():
    assert moving(np.zeros((2, 0)), KeyParams()) == {"a": 0, "k": [0.0, 0.0]}
    assert moving(np.zeros((1, 0)), KeyParams(), one=True) == {"a": 0, "k": 0.0}


def test_late_pieces_of_what_is_late_itself_look_as_far_back_as_both():
    later = {"late_frames": 12.0}
    row = Part.model_validate({"id": "row", "name": "Row", "shape": {"id": "array", "params": later}})
    drive = Drive(target=Target(part="row", property="piece_y"), rest=0.0, full=9.0, late_frames=5.0)
    mapping = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=(drive,))
    envelope = Envelope(id="e", name="E", reading=ReadingChoice.parse("beats"))
    project = Project(name="P", envelopes=(envelope,), mappings=(mapping,), scene=Scene(name="S", parts=(row,)))
    live = LiveCurves.of(project, Graph(project).drivers)
    pieces = motion_of(project.scene, row, {}, rate=project.rate, n_frames=1).late_frames
    assert pieces > 0 and live.wanted_frames == (5 + 1) + ceil(pieces) + 1


def test_a_text_of_blanks_covers_nothing():
    assert shape_box("text", {"x": "5", "y": "9"}, "  ") is None and shape_box("text", {}, "a") is not None
    assert shape_box("g", {}, "a") is None


def test_aac_frames_are_as_long_as_their_heads_say():
    def head(size):
        return bytes([0xFF, 0xF1, 0x50, 0x80 | size >> 11, size >> 3 & 255, (size & 7) << 5 | 0x1F])

    for size in (7, 200, 2_100, 8_191):
        frame = head(size).ljust(size, b"\0")
        assert demuxer_of(io.BytesIO(frame + head(9))) == "aac", size
        assert demuxer_of(io.BytesIO(frame + b"\0" + head(9))) is None, size
    assert demuxer_of(io.BytesIO(head(128))) == "aac", "cut off after its head"


def test_samples_that_no_frame_reads_any_more_are_forgotten():
    content = wav(np.zeros((1, 400_000), dtype=np.float32))
    feed = _Feed(io.BytesIO(content), measure(io.BytesIO(content)), ())
    for start in range(0, 390_000, 5_000):
        assert feed.between(start, start + 5_000).shape == (1, 5_000)
    assert feed._buffer.shape[1] < 200_000


def test_a_project_is_as_long_as_it_may_be():
    assert demo_project().but(length_frames=MOST_FRAMES).n_frames == MOST_FRAMES


def test_a_doubled_slot_is_named():
    shapers = [{"slot": slot, "shaper": {"id": "bend"}} for slot in (1, 3, 2, 3)]
    rod = {"id": "rod", "name": "Rod", "shape": {"id": "cylinder"}, "shapers": shapers}
    with pytest.raises(InvalidParameter, match="Shaper is 3|shaper is 3"):
        Scene(name="S", kind="3d", parts=(Part.model_validate(rod),))


def test_a_store_makes_the_folders_above_it(tmp_path):
    store = MediaStore(tmp_path / "far" / "away" / "media")
    digest = store.add([b"drip"], most=9)
    assert store.size(digest) == 4


def test_a_jump_over_two_frames_is_one():
    two = Curve(Target.parse("lamp:x"), "Lamp", "Across", "px", "number", np.array([0.0, 9.0]))
    (found,) = findings("sudden_jumps", two)
    assert found.frame == 1 and "jumps by 9px" in found.words
    one = Curve(two.target, "Lamp", "Across", "px", "number", np.array([9.0]))
    assert not findings("sudden_jumps", one)


def test_a_level_at_low_water_is_said_to_be_at_it():
    assert _between(0.25, 0.25, 0.5).startswith("at or below low water")
    assert _between(0.5, 0.25, 0.5).startswith("at or above high water")


def test_pieces_that_are_faint_together_and_each_are_as_faint_as_both():
    lone = part("bead", "box", parent="row", values={"opacity": 0.5})
    row = {"layout": {"id": "grid", "params": {"across": 2}}}
    whole = without_motion(row_of(row, values={"piece_opacity": 0.4}, sources=[lone]))
    faint = [float(one.own("opacity")) for one in whole.parts if one.kind.id == lone.kind.id and one.parent]
    assert faint == pytest.approx([0.2] * len(faint)) and len(faint) >= 2


def test_lengths_are_as_long_as_they_may_be():
    assert length(f"{MOST_PX:.0f}") == MOST_PX and length(f"-{MOST_PX:.0f}px") == -MOST_PX
    assert length(f"{MOST_PX + 1:.0f}") is None


def test_a_hit_behind_its_peak_is_measured_to_that_peak():
    excursion = np.zeros(100)
    excursion[[10, 40, 70]] = 1.0
    assert sync(excursion, np.array([12, 42, 71]), fps=30).lags.tolist() == [-2, -2, -1]


def test_an_edge_that_stays_clear_of_the_other_pushes_nothing():
    assert pushed_edges(40.0, 180.0, field="high_hz", value=300) == {}
    assert pushed_edges(40.0, 180.0, field="low_hz", value=90) == {}
    assert pushed_edges(40.0, 180.0, field="window", value=20) == {}
    assert pushed_edges(40.0, 180.0, field="high_hz", value=40).keys() == {"low_hz"}
    assert pushed_edges(40.0, 180.0, field="low_hz", value=180).keys() == {"high_hz"}


def test_beats_halfway_lie_between_their_own_neighbours_at_the_end_too():
    uneven = Beats(np.array([0.0, 1.0, 1.5]), 60.0, steady=False)
    grid = beat_grid(BeatSetting(half_on=True), uneven, offset_s=0.0, duration_s=2.0)
    np.testing.assert_allclose(grid.times_s, [0.5, 1.25, 1.75])


def test_a_style_of_a_class_is_for_that_class_alone():
    drawn = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><style>.a { fill: #ff0000 } '
        b'rect.b { fill: #00ff00 }</style><rect class="a" width="1" height="1"/>'
        b'<rect class="b a" width="1" height="1"/><rect class="c" width="1" height="1"/><circle class="b" r="1"/></svg>'
    )
    file = SceneFile(id="f", name="leaf.svg", media="1" * 64, kind="svg")
    parts = parts_of(Sheet(read_svg(drawn)), file, ids=Ids())
    fills = [part.own("fill") for part in parts if part.has("fill") and part.shape.params.tag in {"rect", "circle"}]
    assert fills == ["#ff0000", "#00ff00", "#000000", "#000000"]


def test_stretches_of_a_sound_cannot_be_written_to():
    assert not spans(np.zeros((1, 10), dtype=np.float32), length=4).flags.writeable


def test_a_picture_says_how_many_pixels_are_too_many(monkeypatch):
    out = io.BytesIO()
    Image.new("L", (4_000, 3_000)).save(out, "PNG")
    monkeypatch.setattr(images, "MOST_PIXELS", 10_000_000)
    with pytest.raises(UnreadableScene, match=r"has 12 million pixels"):
        images.measure_image(out.getvalue())


@pytest.mark.parametrize(("name", "params", "most"), [("gltf", {"error_percent": 0.5}, 0.0051), ("usd", {}, 1e-5)])
def test_a_place_that_hardly_moves_is_read_back_as_near_as_what_its_anchor_adds(name, params, most):
    """The file has one number for the place and for where a turn about the anchor takes it: half a metre to and fro."""
    box = Part.model_validate({"id": "box", "name": "Box", "shape": {"id": "box"}, "anchor": {"y": 0.5}})
    swing = np.sin(np.arange(120) / 5.0)
    shown = [("x", "m", 0.1 + 1e-7 * swing), ("y", "m", 0.2 + 1e-7 * swing), ("turn_z", "°", 80.0 * swing)]
    curves = tuple(Curve(Target(part="box", property=p), "Box", p, u, "number", v) for p, u, v in shown)
    made = HandOff("Box", Scene(name="S", kind="3d", parts=(box,)), curves, FrameRate.parse("30"), 120)
    written = write(made, format=FORMATS[name], params=FORMATS[name].params(**params))
    assert written.error <= most and spans_with_anchors(made)[curves[0].target] == pytest.approx(
        np.ptp(0.1 + 0.5 * np.sin(np.radians(80.0 * swing))), abs=1e-6
    )
