"""What everything in a registry promises, whoever wrote it. A new file in a folder is tested here with no edit."""

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fern_tide.core.bake.bake import bake
from fern_tide.core.bake.checking import run_checks
from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.bake.touch_up import TOUCHES
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import build, fields
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS, reading_in_role
from fern_tide.core.first_cut.first_cut import RULES
from fern_tide.core.formats.format import HandOff, KeyParams, Moments, write
from fern_tide.core.formats.moments import Moment
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import RESPONSES, Drive
from fern_tide.core.mapping.mapping import STEPS, Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.arrays.reach import REACHES
from fern_tide.core.scene.mesh import bounds
from fern_tide.core.scene.order_choice import ORDERS
from fern_tide.core.scene.properties import PLACE_3D
from fern_tide.core.scene.scene import PART_KINDS
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.scene import glasshouse

LIFTS = arrays(np.float64, st.integers(1, 300), elements=st.floats(0, 1))
RATE = FrameRate.parse("30")
CONTEXT = StepContext.example()
EVERYTHING = [
    *(
        pytest.param(spec, id=f"{registry.kind} {spec.id}")
        for registry in (READINGS, CLEAN_UPS, STEPS, RESPONSES, PART_KINDS, FORMATS, ORDERS, RULES, LAYOUTS, REACHES)
        for spec in registry.values()
    ),
    *(pytest.param(spec, id=f"touch-up {spec.id}") for spec in TOUCHES.values()),
    *(pytest.param(outcome.check, id=f"check {outcome.check.id}") for outcome in run_checks([])),
]


def apply(spec, x):
    if spec.id in CLEAN_UPS and spec is CLEAN_UPS[spec.id]:
        return spec.apply(x, params=spec.params(), rate=RATE)
    if spec.id in STEPS and spec is STEPS[spec.id]:
        return spec.apply(x, params=spec.params(), context=CONTEXT)
    return spec.apply(x, params=spec.params())


FUNCTIONS = [*CLEAN_UPS.values(), *STEPS.values(), *RESPONSES.values()]
functions = pytest.mark.parametrize("spec", FUNCTIONS, ids=[f"{type(spec).__name__} {spec.id}" for spec in FUNCTIONS])


@pytest.mark.parametrize("spec", EVERYTHING)
def test_it_says_what_it_is_for_and_every_field_has_a_default_and_help(spec):
    assert spec.label and spec.help.endswith(".") and len(spec.help) < 100
    spec.params()
    for field in fields(spec.params):
        assert field.help.endswith(".") and field.default is not None, field.name


@pytest.mark.parametrize("spec", EVERYTHING)
def test_its_ranges_are_kept(spec):
    for field in fields(spec.params):
        for bound, beyond in ((field.low, -1), (field.high, 1)):
            if bound is not None:
                with pytest.raises(Exception, match=re.escape(field.label)):
                    build(spec.params, {field.name: bound + beyond * (abs(bound) + 1)})


@functions
@given(lift=LIFTS)
def test_it_keeps_shape_is_finite_and_leaves_its_input_alone(spec, lift):
    lift.setflags(write=False)
    out = apply(spec, lift)
    assert out.shape == lift.shape
    assert np.isfinite(out).all()


@functions
def test_it_gives_the_same_bytes_twice(spec, drum_lift):
    assert apply(spec, drum_lift).tobytes() == apply(spec, drum_lift).tobytes()


@functions
def test_a_stack_of_rows_is_the_same_as_one_row_at_a_time(spec, drum_lift):
    if getattr(spec, "across_rows", False):
        pytest.skip("rows are treated by their place")
    stack = np.stack([drum_lift, drum_lift[::-1]])
    np.testing.assert_allclose(apply(spec, stack), np.stack([apply(spec, row) for row in stack]), atol=1e-12)


@pytest.mark.parametrize("response", RESPONSES.values(), ids=RESPONSES)
def test_a_response_goes_from_0_to_1(response):
    assert response.apply(np.array([0.0, 1.0]), params=response.params()).tolist() == [0.0, 1.0]


DRAWN = {name: kind for name, kind in PART_KINDS.items() if kind.draw}
SOLID = {name: kind for name, kind in PART_KINDS.items() if kind.solid}


@pytest.mark.parametrize("kind", DRAWN.values(), ids=DRAWN)
def test_a_kind_of_2d_part_has_an_element_for_every_binding(kind):
    def slots(element):
        return {element.slot} | {slot for child in element.children for slot in slots(child)}

    drawn = slots(kind.draw(kind.params(), "x"))
    assert "own" in drawn
    names = {item.id for item in kind.properties}
    assert len(names) == len(kind.properties)
    for binding in kind.bindings:
        assert binding.slot in drawn and binding.property in names


@pytest.mark.parametrize("kind", PART_KINDS.values(), ids=PART_KINDS)
def test_a_kind_of_3d_part_shows_every_property_in_exactly_one_channel(kind):
    if kind.space == "2d":
        assert not kind.channels and not kind.more_channels and (kind.draw or not kind.offered or not kind.looks)
        return
    params = kind.params()
    names = [item.id for item in kind.properties + (kind.more(params) if kind.more else ())]
    channels = kind.channels + (kind.more_channels(params) if kind.more_channels else ())
    shown = [name for channel in channels for name in channel.names]
    if not kind.looks:
        names = []
    if kind.pieces:  # those of its pieces, of its layout and of its reaches show in the pieces
        names = [item.id for item in PLACE_3D]
    assert sorted(shown) == sorted(names)


@pytest.mark.parametrize("kind", SOLID.values(), ids=SOLID)
def test_a_solid_stands_on_the_ground_and_its_sides_face_outward(kind):
    mesh = kind.solid(kind.params())
    low, high = bounds(mesh)
    least = 0.01 if "words" in kind.params.model_fields else 1e-9  # round letters reach a little below the line
    assert abs(low[1]) < least and (high >= low).all()
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1.0, atol=1e-9)
    assert mesh.triangles.max() < len(mesh.positions)
    a, b, c = np.moveaxis(mesh.positions[mesh.triangles], 1, 0)
    outward = np.cross(b - a, c - a)
    assert (np.sum(outward * mesh.normals[mesh.triangles].mean(axis=1), axis=1) > 0).all()
    volume = np.sum(a * np.cross(b, c)) / 6
    assert volume > 0 or (high - low).min() == 0


def everything_driven(n_frames, scene, *, slow=0.8):
    """Every property of one part of each kind, driven."""
    parts = {part.shape.id: part for part in scene.parts}
    drives = []
    for part in parts.values():
        for item in part.properties:
            rest, full = item.suggest_ends(part.own(item.id))
            drives.append(Drive(target=Target(part=part.id, property=item.id), rest=rest, full=full))
    mapping = Mapping(id="all", name="All", envelope="e", marks=Marks(low=0.1, high=0.9), drives=tuple(drives))
    lift = 0.5 - 0.5 * np.cos(np.arange(n_frames) / slow)
    return bake(scene, [mapping], lifts={"all": lift}, n_frames=n_frames)


@pytest.mark.parametrize("spec", FORMATS.values(), ids=FORMATS)
@pytest.mark.parametrize("n_frames", [1, 2, 90])
@pytest.mark.parametrize("scene", [glasshouse(), potting_bench()], ids=["2d", "3d"])
def test_a_format_carries_every_property_and_reads_back_what_it_wrote(spec, n_frames, scene):
    curves = everything_driven(n_frames, scene)
    hand_off = HandOff(
        name="Test & <all>",
        scene=scene,
        curves=curves,
        rate=FrameRate.parse("24000/1001"),
        n_frames=n_frames,
        moments=Moments((Moment(0.02, "One & <two>", "#112233"),), {"Drums": np.array([0.01, 0.03])}),
    )
    if scene.kind not in spec.spaces:
        with pytest.raises(FernTideError, match=f"carries no {scene.kind} scene"):
            write(hand_off, format=spec)
        return
    written = write(hand_off, format=spec)
    assert written.error <= spec.rounds_by
    parts = [(scene.part(curve.target.part), curve.target.property) for curve in curves]
    assert written.n_curves == sum(spec.carries(part, name, spec.params()) for part, name in parts)
    assert written.n_curves == len(curves) or spec.lacks
    assert written.n_moments == (3 if spec.of_moments else 0)
    assert written.content == write(hand_off, format=spec).content


@pytest.mark.parametrize("way", Interpolation)
@pytest.mark.parametrize("percent", [0.2, 2.0])
@pytest.mark.parametrize(
    "spec", [spec for spec in FORMATS.values() if issubclass(spec.params, KeyParams)], ids=lambda spec: spec.id
)
def test_keys_are_fewer_and_stay_within_the_error_that_was_asked_for(spec, way, percent):
    scene = potting_bench() if "3d" in spec.spaces else glasshouse()
    hand_off = HandOff(
        name="T", scene=scene, curves=everything_driven(150, scene, slow=7.0), rate=FrameRate.parse("30"), n_frames=150
    )
    written = write(hand_off, format=spec, params=spec.params(interpolation=way, error_percent=percent))
    assert written.error <= percent / 100 * 1.01 + 1e-6
    if percent > 1 and way is not Interpolation.STEP and (spec.holds_cubic or way is not Interpolation.CUBIC):
        assert len(written.content) < len(write(hand_off, format=spec).content)


def test_each_role_of_the_sound_room_is_had_by_one_reading_that_can_fill_it():
    roles = [spec.role for spec in READINGS.values() if spec.role]
    assert sorted(roles) == ["box", "file", "first", "notes", "take"]
    assert {"low_hz", "high_hz"} <= reading_in_role("box").params.model_fields.keys()
    assert all("media" in reading_in_role(role).params.model_fields for role in ("file", "notes"))
    assert reading_in_role("first").params() and reading_in_role("first").of_track


@pytest.mark.parametrize("spec", ORDERS.values(), ids=lambda spec: spec.id)
@given(middles=arrays(np.float64, st.tuples(st.integers(0, 40), st.sampled_from([2, 3])), elements=st.floats(-9, 9)))
def test_an_order_gives_every_part_a_rank_from_0_to_1(spec, middles):
    given = spec.params()
    ranks = spec.ranks(middles, given)
    assert ranks.shape == (len(middles),) and ((ranks >= 0) & (ranks <= 1)).all()
    assert (spec.ranks(middles, given) == ranks).all()
    if len(middles) > 1:
        assert ranks.max() == 1.0
