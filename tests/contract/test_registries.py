"""What everything in a registry promises, whoever wrote it. A new file in a folder is tested here with no edit."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fern_tide.core.bake.bake import bake
from fern_tide.core.bake.check import run_checks
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import build, fields
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import RESPONSES, STEPS, Drive, Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.scene.scene import PART_KINDS
from fern_tide.demo.scene import glasshouse

LIFTS = arrays(np.float64, st.integers(1, 300), elements=st.floats(0, 1))
RATE = FrameRate.parse("30")
CONTEXT = StepContext.example()
EVERYTHING = [
    *(
        pytest.param(spec, id=f"{registry.kind} {spec.id}")
        for registry in (READINGS, CLEAN_UPS, STEPS, RESPONSES, PART_KINDS, FORMATS)
        for spec in registry.values()
    ),
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
                with pytest.raises(Exception, match=field.name):
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


@pytest.mark.parametrize("kind", PART_KINDS.values(), ids=PART_KINDS)
def test_a_kind_of_part_has_an_element_for_every_binding(kind):
    def slots(element):
        return {element.slot} | {slot for child in element.children for slot in slots(child)}

    drawn = slots(kind.draw(kind.params(), "x"))
    assert "own" in drawn
    names = {item.id for item in kind.properties}
    assert len(names) == len(kind.properties)
    for binding in kind.bindings:
        assert binding.slot in drawn and binding.property in names


def everything_driven(n_frames):
    """Every property of one part of each kind, driven."""
    scene = glasshouse()
    parts = {part.shape.id: part for part in scene.parts}
    drives = []
    for part in parts.values():
        for item in part.properties:
            rest, full = item.suggest_ends(part.own(item.id))
            drives.append(Drive(target=Target(part=part.id, property=item.id), rest=rest, full=full))
    mapping = Mapping(id="all", name="All", envelope="e", marks=Marks(low=0.1, high=0.9), drives=tuple(drives))
    lift = 0.5 - 0.5 * np.cos(np.arange(n_frames) / 7.0)
    return scene, bake(scene, [mapping], lifts={"all": lift})


@pytest.mark.parametrize("spec", FORMATS.values(), ids=FORMATS)
@pytest.mark.parametrize("n_frames", [1, 2, 90])
def test_a_format_carries_every_property_and_reads_back_what_it_wrote(spec, n_frames):
    scene, curves = everything_driven(n_frames)
    hand_off = HandOff(
        name="Test & <all>", scene=scene, curves=curves, rate=FrameRate.parse("24000/1001"), n_frames=n_frames
    )
    written = write(hand_off, format=spec)
    assert written.error <= (0.002 if any(spec.loses(curve) for curve in curves) else 0.0)  # half of 1/256, or nothing
    assert written.content == write(hand_off, format=spec).content
