"""Shapers against the exact surface, by hand; the shapes that stand for them; and what files carry of them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.shaped import solid_shapes
from fern_tide.core.scene.mesh import Mesh, bounds, box, turned
from fern_tide.core.scene.refining import MOST_VERTICES, facing, refined
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.shaper import Law
from fern_tide.core.scene.shapers.bend import BendParams
from fern_tide.core.scene.shapers.push import PushParams, bumps
from fern_tide.core.scene.shapers.ripple import RippleParams
from fern_tide.core.scene.shapers.stretch import StretchParams
from fern_tide.core.scene.shapers.taper import TaperParams
from fern_tide.core.scene.shapers.twist import TwistParams
from fern_tide.core.scene.shaping import SHAPERS, ShaperChoice, Shaping, n_shapes, read_shapers, seen_of, shapes_of

ROD = refined(box(0.2, 2.0, 0.1))
FRAMES = 48


def moved(name, points, amount, params):
    points = np.array(points, dtype=float)
    mesh = Mesh(points, np.zeros_like(points), np.zeros((0, 3), dtype=np.uint32))
    return SHAPERS[name].move(mesh, params, amount=amount)


def part(*shapers, kind="box", params=None, **more):
    listed = [{"slot": at + 1, "shaper": one} for at, one in enumerate(shapers)]
    shape = {"id": kind, "params": {"width": 0.2, "height": 2.0, "depth": 0.1} if params is None else params}
    return Part.model_validate({"id": "rod", "name": "Rod", "shape": shape, "shapers": listed, **more})


# --- each against its definition


def test_a_half_round_bend_is_a_half_circle_of_the_same_length_and_goes_on_straight():
    column = np.array([[0, 0, 0], [0, 1, 0], [0, 2, 0], [0, 3, 0], [0, 4.0, 0]])
    bent = moved("bend", column, 180, BendParams(first=0.25, last=0.75, most=180))
    radius = 2 / np.pi
    np.testing.assert_allclose(
        bent, [[0, 0, 0], [0, 1, 0], [radius, 1 + radius, 0], [2 * radius, 1, 0], [2 * radius, 0, 0]], atol=1e-9
    )
    back = moved("bend", column, -90, BendParams(toward="z"))
    np.testing.assert_allclose(back[-1], [0, 8 / np.pi, -8 / np.pi], atol=1e-9)


def test_a_bend_keeps_the_length_of_the_middle_and_the_thickness():
    bent = SHAPERS["bend"].move(ROD, BendParams(), amount=70.0)
    line = np.stack([np.zeros(200), np.linspace(0, 2, 200), np.zeros(200)], axis=1)
    along = moved("bend", np.concatenate([ROD.positions, line]), 70.0, BendParams())[-200:]
    assert np.linalg.norm(np.diff(along, axis=0), axis=1).sum() == pytest.approx(2, rel=1e-4)
    for at in range(0, len(ROD.positions), 7):
        point = ROD.positions[at]
        nearest = np.linalg.norm(along - bent[at], axis=1).min()
        assert nearest == pytest.approx(np.hypot(point[0], point[2]), abs=6e-3)


def test_a_twist_turns_by_a_share_of_its_angle():
    points = [[1, 0, 0], [-1, 0, 0], [1, 1, 0], [-1, 1, 0], [1, 2, 0], [-1, 2, 0]]
    twisted = moved("twist", points, 90, TwistParams())
    half = np.sqrt(0.5)
    np.testing.assert_allclose(twisted[::2], [[1, 0, 0], [half, 1, -half], [0, 2, -1]], atol=1e-9)


def test_a_stretch_keeps_its_volume_or_its_thickness():
    for params, volume in ((StretchParams(), 8.0), (StretchParams(volume=False), 16.0)):
        low, high = np.array([[-1, 0, -1], [1, 2, 1.0]])
        corners = np.array([[x, y, z] for x in (-1, 1) for y in (0, 2) for z in (-1, 1)], dtype=float)
        out = moved("stretch", corners, 2.0, params)
        assert np.prod(out.max(axis=0) - out.min(axis=0)) == pytest.approx(volume) and (high > low).all()
        assert out[:, 1].max() == 4


def test_a_taper_is_linear_and_a_ripple_a_sine():
    points = [[1, 0, 0], [-1, 0, 0], [1, 1, 0], [-1, 1, 0], [1, 2, 0], [-1, 2, 0]]
    np.testing.assert_allclose(moved("taper", points, 3, TaperParams())[::2, 0], [1, 2, 3])
    flat = np.array([[x, 0, 0] for x in (-0.5, -0.25, 0, 0.25, 0.5)])
    rippled = moved("ripple", flat, 0.1, RippleParams(runs="across", wavelength=1.0))
    np.testing.assert_allclose(rippled[:, 1], 0.1 * np.sin(2 * np.pi * flat[:, 0]), atol=1e-12)
    round_ = moved("ripple", flat, 0.1, RippleParams(wavelength=1.0))
    np.testing.assert_allclose(round_[:, 1], 0.1 * np.sin(2 * np.pi * np.abs(flat[:, 0])), atol=1e-12)


def test_bumps_are_smooth_of_a_size_and_the_same_for_a_seed():
    points = np.random.default_rng(0).uniform(-5, 5, (4000, 3))
    high = bumps(points, PushParams(seed=3))
    assert np.array_equal(high, bumps(points, PushParams(seed=3))) and not np.array_equal(
        high, bumps(points, PushParams(seed=4))
    )
    assert abs(high.mean()) < 0.1 and 0.6 < high.std() < 0.8 and np.abs(high).max() < 3
    near = bumps(points + 0.004, PushParams(seed=3, size=0.4))
    assert np.abs(near - bumps(points, PushParams(seed=3, size=0.4))).max() < 0.3


# --- contract: over all shapers


@pytest.mark.parametrize("name", SHAPERS)
def test_at_rest_nothing_moves_and_nothing_is_seen(name):
    spec = SHAPERS[name]
    shaping = Shaping(slot=1, shaper=ShaperChoice(id=name))
    np.testing.assert_allclose(spec.move(ROD, spec.params(), amount=shaping.rest), ROD.positions, atol=1e-12)
    rest = {item.id: np.array([float(item.default)]) for item in shaping.properties_in("3d")}
    assert not shaping.seen(rest).any()
    if spec.law is Law.STEPS:
        assert shaping.rest in shaping.steps and (np.diff(shaping.steps) > 0).all()


@pytest.mark.parametrize("name", SHAPERS)
@given(share=st.floats(0, 1), phase=st.floats(-720, 720))
def test_its_shapes_stand_for_every_amount_within_half_a_percent_of_its_size(name, share, phase):
    spec, shaping = SHAPERS[name], Shaping(slot=1, shaper=ShaperChoice(id=name))
    first = shaping.properties_in("3d")[0]
    low, high = (first.low if first.low is not None else -2.0, first.high if first.high is not None else 2.0)
    amount = low + share * (high - low)
    values = {item.id: np.array([amount if item.id == first.id else phase]) for item in shaping.properties_in("3d")}
    shown = ROD.positions + np.tensordot(shaping.seen(values)[:, 0], shaping.shapes(ROD), axes=1)
    exact = spec.move(ROD, spec.params(), amount=amount)
    if spec.law is Law.WAVE:
        angle = 2 * np.pi * np.hypot(ROD.positions[:, 0], ROD.positions[:, 2]) / 0.5 - np.radians(phase)
        exact = ROD.positions + np.stack([0 * angle, amount * np.sin(angle), 0 * angle], axis=1)
    size = np.linalg.norm(np.subtract(*bounds(ROD)))
    off = np.linalg.norm(shown - exact, axis=1).max()
    assert off < 0.005 * size if spec.law is Law.STEPS else off < 1e-9
    read = shaping.read(shaping.seen(values), values)
    for key, value in values.items():
        np.testing.assert_allclose(read[key], np.clip(value, low, high) if key == first.id else value, atol=1e-6)


def test_several_add_up_and_are_read_apart():
    listed = part({"id": "bend"}, {"id": "ripple"}, {"id": "taper"}).shapers
    values = {
        "shaper1_amount": np.array([30.0]),
        "shaper2_amount": np.array([-0.2]),
        "shaper2_phase": np.array([400.0]),
        "shaper3_amount": np.array([0.4]),
    }
    seen = seen_of(listed, values)
    assert len(seen) == n_shapes(listed) == len(shapes_of(ROD, listed)) == 18 + 2 + 1
    read = read_shapers(listed, seen, values)
    assert {key: round(float(value[0]), 6) for key, value in read.items()} == {
        k: float(v[0]) for k, v in values.items()
    }


# --- meshes that are fine enough


@pytest.mark.parametrize(
    "mesh", [box(1, 2, 3), turned(np.array([[1, 2], [1, 0.0]]), np.array([[1, 0], [1, 0.0]]), around=16)]
)
def test_a_refined_mesh_is_the_same_surface_with_short_edges(mesh):
    fine = refined(mesh)
    size = np.linalg.norm(np.subtract(*bounds(mesh)))

    def area(one: Mesh) -> float:
        a, b, c = one.positions[one.triangles].transpose(1, 0, 2)
        return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)

    a, b, c = fine.positions[fine.triangles].transpose(1, 0, 2)
    assert max(np.linalg.norm(a - b, axis=1).max(), np.linalg.norm(c - b, axis=1).max()) <= size / 16 + 1e-9
    assert area(fine) == pytest.approx(area(mesh)) and np.allclose(np.linalg.norm(fine.normals, axis=1), 1)
    outward = np.einsum("ij,ij->i", facing(fine.positions, fine.triangles), fine.normals)
    assert outward.min() > 0.9 and len(fine.positions) <= MOST_VERTICES
    edges = np.sort(np.concatenate([fine.triangles[:, pair] for pair in ((0, 1), (1, 2), (2, 0))]), axis=1)
    places = np.unique(np.round(fine.positions, 9), axis=0, return_inverse=True)[1].ravel()
    _, counts = np.unique(np.sort(places[edges], axis=1), axis=0, return_counts=True)
    assert counts.max() <= 2, "each edge has two sides at most: nothing opens"


# --- parts


def test_amounts_are_properties_of_the_part_and_go_with_their_shaper():
    rod = part({"id": "bend"}, {"id": "ripple"})
    assert [item.id for item in rod.properties][:3] == ["shaper1_amount", "shaper2_amount", "shaper2_phase"]
    assert rod.property("shaper1_amount").high == 90 and rod.channels[-1].names == tuple(i.id for i in rod.shaped)
    assert "shapers" not in Part.model_validate({"id": "a", "name": "A", "shape": {"id": "box"}}).model_dump_json()


@pytest.mark.parametrize(
    ("given", "words"),
    [
        (part({"id": "bend"}, kind="sound_graphic_3d", params={"points": 4}), "Use a solid"),
        (part({"id": "bend"}, kind="group_3d", params={}), "Use a solid"),
    ],
)
def test_only_solids_are_shaped(given, words):
    with pytest.raises(InvalidParameter, match=words):
        Scene(name="S", kind="3d", parts=(given,))


def test_two_shapers_have_slots_of_their_own():
    rod = part({"id": "bend"})
    with pytest.raises(InvalidParameter, match="no other has"):
        Scene(name="S", kind="3d", parts=(rod.but(shapers=(*rod.shapers, *rod.shapers)),))


@pytest.mark.parametrize("error_percent", [0.0, 0.5])
def test_amounts_come_back_from_a_gltf_file(error_percent):
    rod = part({"id": "bend"}, {"id": "ripple"}, {"id": "stretch"}, {"id": "push"}, values={"shaper2_amount": 0.05})
    scene = Scene(name="S", kind="3d", parts=(rod,))
    ends = {
        "shaper1_amount": (-80, 85),
        "shaper2_phase": (0, 900),
        "shaper3_amount": (0.4, 2.5),
        "shaper4_amount": (0, 0.1),
    }
    drives = [{"target": f"rod:{name}", "rest": rest, "full": full} for name, (rest, full) in ends.items()]
    marks = {"low": 0, "high": 1}
    mapping = Mapping.model_validate({"id": "m", "name": "M", "envelope": "e", "marks": marks, "drives": drives})
    lift = 0.5 + 0.5 * np.sin(np.arange(FRAMES) / 5)
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=FRAMES)
    spec = FORMATS["gltf"]
    written = write(
        HandOff("R", scene, curves, FrameRate.parse("30"), FRAMES),
        format=spec,
        params=spec.params(error_percent=error_percent),
    )
    assert written.n_curves == 4 and written.error < (1e-5 if not error_percent else 0.02)


def test_normals_turn_with_the_surface():
    rod = part({"id": "bend", "params": {"most": 90}})
    stands = facing(ROD.positions, ROD.triangles)
    for step, (shape, normals) in zip(rod.shapers[0].away, solid_shapes(rod.shape, rod.shapers), strict=True):
        exact = SHAPERS["bend"].move(ROD, rod.shapers[0].shaper.params, amount=float(step))
        np.testing.assert_allclose(shape, exact - ROD.positions, atol=1e-6)
        np.testing.assert_allclose(stands + normals, facing(exact, ROD.triangles), atol=1e-6)
    top = ROD.positions[:, 1] == 2.0
    up = (stands + normals)[top & (stands[:, 1] > 0.9)]
    np.testing.assert_allclose(up[:, 0], 1.0, atol=0.1)  # bent by 90 degrees, the top looks sideways
