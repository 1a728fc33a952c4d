"""Sound graphics and lettering: geometry from levels, levels from geometry, and one mapping over many levels."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from tests.conftest import read, wav

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping, drive_lift
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.graphic import GraphicForm, levels_in, outline, solid
from fern_tide.core.scene.lettering import lettering
from fern_tide.core.scene.mesh import bounds
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene

LEVELS = arrays(np.float64, st.integers(2, 40), elements=st.floats(0, 1))


@pytest.mark.parametrize("form", GraphicForm)
@given(levels=LEVELS, width=st.floats(50, 2000), height=st.floats(50, 800))
def test_levels_survive_being_drawn(form, levels, width, height):
    data = outline(form, levels, width=width, height=height)
    back = levels_in(form, data, width=width, height=height, points=len(levels))
    np.testing.assert_allclose(back, levels, atol=0.011 / height)


def test_bars_stand_beside_each_other_on_the_line():
    bars = outline(GraphicForm.BARS, np.array([0.0, 1.0]), width=20, height=10)
    assert bars == "M-8.50 0V0.00H-1.50V0ZM1.50 0V-10.00H8.50V0Z"


def test_a_line_a_mirrored_band_and_a_ring():
    levels = np.array([0.0, 1.0])
    assert outline(GraphicForm.LINE, levels, width=20, height=10) == "M-5.00 0.00L5.00 -10.00"
    mirrored = outline(GraphicForm.MIRRORED, levels, width=20, height=10)
    assert mirrored == "M-5.00 0.00L5.00 -10.00L5.00 10.00L-5.00 0.00Z"
    assert outline(GraphicForm.RING, levels, width=20, height=10) == "M0.00 -10.00L0.00 20.00Z"


@pytest.mark.parametrize("form", GraphicForm)
def test_in_3d_each_level_moves_its_own_vertices_by_the_height(form):
    mesh, moves = solid(form, 12, width=2.0, height=0.5, thickness=0.04)
    assert moves.shape == (12, len(mesh.positions), 3) and mesh.triangles.max() < len(mesh.positions)
    np.testing.assert_allclose(np.linalg.norm(moves, axis=2).max(axis=1), 0.5, atol=1e-9)
    touched = np.linalg.norm(moves, axis=2) > 0
    assert (touched.sum(axis=0) <= 1).all()
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1)


@pytest.mark.parametrize(("kind", "spec"), [("sound_graphic", "svg"), ("sound_graphic_3d", "gltf")])
@pytest.mark.parametrize("form", GraphicForm)
def test_a_graphics_geometry_is_baked_and_reads_back(kind, spec, form):
    part = Part(id="g", name="G", shape=PartChoice.model_validate({"id": kind, "params": {"form": form, "points": 8}}))
    scene = Scene(name="s", kind=PART_KINDS[kind].space, parts=(part,))
    drives = tuple(Drive(target=Target(part="g", property=f"level_{n}"), rest=0.0, full=1.0) for n in range(8))
    mapping = Mapping(id="m", name="m", envelope="e", spread=True, marks=Marks(low=0.1, high=0.9), drives=drives)
    lift = np.abs(np.sin(np.arange(30) / 5 + np.arange(8)[:, None]))
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=30)
    np.testing.assert_array_equal(np.stack([curve.values for curve in curves]), lift)
    written = write(HandOff("G", scene, curves, FrameRate.parse("30"), 30), format=FORMATS[spec])
    assert written.error < (1e-3 if spec == "svg" else 1e-5) and written.n_curves == 8


def test_a_spread_mapping_shares_the_rows_evenly_among_its_targets():
    drives = tuple(Drive(target=Target(part="g", property=f"level_{n}"), rest=0.0, full=1.0) for n in range(5))
    mapping = Mapping(id="m", name="m", envelope="e", spread=True, marks=Marks(low=0.1, high=0.9), drives=drives)
    lift = np.array([[0.0, 1.0], [0.5, 0.5], [1.0, 0.0]])
    shared = np.stack([drive_lift(lift, mapping, drive) for drive in drives])
    np.testing.assert_allclose(shared, [[0, 1], [0.25, 0.75], [0.5, 0.5], [0.75, 0.25], [1, 0]])
    alone = mapping.model_copy(update={"drives": drives[:1]})
    np.testing.assert_array_equal(drive_lift(lift, alone, drives[0]), lift[0])
    np.testing.assert_array_equal(drive_lift(lift[1], mapping, drives[3]), lift[1])


def test_the_waveform_reading_runs_past_the_frame_from_right_to_left():
    sound = np.zeros(48_000)
    sound[24_000:24_100] = 0.5  # a click at half a second
    level = read(wav(sound), "waveform points=5 window_ms=200", rate="10")
    assert level.shape == (5, 10)
    assert np.argwhere(level > 0).tolist() == [[1, 5], [3, 4]]  # a point is 50 ms, a frame's middle 450 and 550 ms
    assert set(np.unique(level)) == {0.0, 0.5}


@pytest.mark.parametrize(
    "options", ["", "points=12 window_ms=20", "points=128 window_ms=400", "points=3 window_ms=3000"]
)
@pytest.mark.parametrize(("rate_hz", "rate"), [(44_100, "24"), (48_000, "30"), (22_050, "60000/1001")])
def test_no_sample_falls_between_the_points_of_a_waveform(rate_hz, rate, options):
    fps = FrameRate.parse(rate)
    for at in np.random.default_rng(0).integers(rate_hz // 4, 3 * rate_hz // 4, 40):
        sound = np.zeros(rate_hz)
        sound[at] = 0.5
        level = read(wav(sound, rate_hz=rate_hz), f"waveform {options}", rate=rate)
        assert level[:, fps.frame_of_sample(int(at), sample_rate_hz=rate_hz)].max() == 0.5
    assert level.max() == 0.5 and (level == 0).any()


@pytest.mark.parametrize("font", ["serif", "sans", "mono"])
def test_lettering_is_closed_centred_and_as_wide_as_its_letters(font):
    one, two = (lettering(words, font=font, size=1.0, thickness=0.1) for words in ("i", "iOi"))
    for mesh in (one, two):
        edges = np.concatenate([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]])
        a, b, c = np.moveaxis(mesh.positions[mesh.triangles], 1, 0)
        assert np.sum(a * np.cross(b, c)) > 0 and len(edges) == 3 * len(mesh.triangles)
        low, high = bounds(mesh)
        assert abs(high[2] - 0.05) < 1e-9 and abs(low[2] + 0.05) < 1e-9
    assert bounds(two)[1][0] > bounds(one)[1][0] and abs(bounds(two)[0][0] + bounds(two)[1][0]) < 0.1


def test_a_hole_in_a_letter_is_a_hole():
    ring = lettering("O", font="sans", size=1.0, thickness=0.1)
    front = ring.triangles[(ring.normals[ring.triangles][:, :, 2] > 0.5).all(axis=1)]
    a, b, c = np.moveaxis(ring.positions[front], 1, 0)
    area = np.cross(b - a, c - a)[:, 2].sum() / 2
    low, high = bounds(ring)
    assert 0 < area < 0.6 * (high[0] - low[0]) * (high[1] - low[1])


def test_letters_that_a_font_lacks_and_no_letters_at_all():
    assert len(lettering("\u4e2d", font="serif", size=1.0, thickness=0.1).positions) == 0
    assert len(lettering(" ", font="serif", size=1.0, thickness=0.1).triangles) == 0
