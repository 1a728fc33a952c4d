"""What is right at an end of its range, and would be wrong one step beside it; each worked out by hand."""

import numpy as np
import pytest
from tests.core.bake.test_sync import bumps
from tests.core.derivation.documents import document, envelope
from tests.core.derivation.test_graph import MOTH, TURN, scene
from tests.core.derivation.test_words import said
from tests.interchange.test_shaped_models import scene_of, stems

from fern_tide.core.bake.sync import sync
from fern_tide.core.bake.thin import thin
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.commands.project import RemoveEnvelope
from fern_tide.core.envelope.envelope import READINGS
from fern_tide.core.first_cut.checking import flashes
from fern_tide.core.first_cut.things import near_end
from fern_tide.core.formats.moments import read_moments
from fern_tide.core.mapping.colour import colour_texts
from fern_tide.core.scene.arrays.layout import even
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import Gltf
from fern_tide.core.scene.gltf.plain_mesh import mesh_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.rotation import steady_turns
from fern_tide.core.scene.scene import Part, PartChoice
from fern_tide.core.scene.shaping import Shaping
from fern_tide.core.scene.svg.allowed import attribute_is_safe
from fern_tide.core.scene.svg.bounds import pieces

RATE = FrameRate.parse("30")


def test_a_peak_before_a_hit_is_the_nearest_though_another_one_follows():
    assert sync(bumps(12, 40), np.array([14]), fps=30).lags.tolist() == [-2]


def test_corners_beyond_the_last_whole_triangle_are_none():
    content, points, _ = stems()
    gltf = read_gltf(content)
    plain = {**gltf.json, "accessors": [{**one} for one in gltf.json["accessors"]]}
    mesh = plain["meshes"][0]
    plain["accessors"][mesh["primitives"][0]["indices"]]["count"] = 8
    positions, triangles, _ = mesh_of(Gltf(plain, gltf.binary), mesh)
    assert positions.shape == points.shape and len(triangles) == 2 + 1


def test_morph_targets_say_how_far_they_reach():
    scene, media = scene_of(stems()[0], {"id": "bend"})
    written = build(scene, files=media.gltfs).closed()
    moves = [
        one["POSITION"]
        for mesh in written.json["meshes"]
        for item in mesh["primitives"]
        for one in item.get("targets", ())
    ]
    assert moves
    for at in moves:
        values = values_of(written, at)
        assert written.json["accessors"][at]["min"] == pytest.approx(values.min(axis=0))
        assert written.json["accessors"][at]["max"] == pytest.approx(values.max(axis=0))


@pytest.mark.parametrize(("points", "window_ms", "frames"), [(8, 200, 2.928571), (3, 20, 0.0)])
def test_a_live_waveform_is_late_by_half_of_its_stretch(points, window_ms, frames):
    """8 points 200/7 ms apart are 228.57 ms or 6.857 frames long; their middle is 3.43 before the frame's end."""

    class Source:
        rate = RATE

    spec = READINGS["waveform"]
    params = spec.params(points=points, window_ms=window_ms)
    assert spec.live.lag_frames(params, Source()) == pytest.approx(frames, abs=1e-6)


@pytest.mark.parametrize("value", ["url(https://a.test/x)", "src('//a.test')", "image-set('a.png' 1x)"])
def test_what_an_attribute_would_fetch_is_cut_out_in_every_namespace_that_draws(value):
    assert not attribute_is_safe("fill", value, tag="rect", namespace="")
    assert not attribute_is_safe("fill", value, tag="rect", namespace="http://www.w3.org/2000/svg")
    assert attribute_is_safe("fill", "url(#own)", tag="rect", namespace="")
    assert attribute_is_safe("note", value, tag="rect", namespace="urn:words")


def test_what_is_followed_from_now_on_or_no_more_is_spoken_of():
    plain = document(mappings=document().mappings[1:])  # what adds to it is left
    following = scene(plain, follows=(Follow(target=TURN, source=MOTH),))
    assert said(plain, following) == said(following, plain) == ["what it follows changed"]


def test_flashes_are_counted_from_their_first_change_on():
    light = np.repeat([0.0, 0.7] * 3 + [0.0], 3)[:-2]  # six changes, three frames apart, then still
    assert flashes(np.concatenate([light, np.zeros(40)]), rate=RATE) == 3


def test_colours_beyond_what_can_be_shown_are_the_nearest_that_can():
    assert colour_texts(np.array([[1.2], [0.5], [-0.1]])) == ["#ff8000"]


def test_a_straight_line_that_begins_anywhere_is_two_keys_however_long_it_is():
    for start in (-300.0, 0.0, 7.0):
        line = np.linspace(start, start + 40.0, 700)
        assert thin(line, tolerance=0.01).frames.tolist() == [0, 699]


def test_the_names_of_moments_end_where_a_name_does():
    (moment,) = read_moments(b"WEBVTT\n\n00:00:01.500 --> 00:00:02.000\n" + b"a" * 130 + b"\n")
    assert moment.name == "a" * 120 and moment.time_s == 1.5
    assert read_moments(b"name,time_s\n" + b"a" * 130 + b",1.5\n") == [moment]


@pytest.mark.parametrize(("y", "at_top", "near"), [(15, True, True), (15.1, True, False), (85, False, True)])
def test_an_anchor_is_at_an_end_up_to_the_share_of_a_part_that_counts_as_one(y, at_top, near):
    square = Extent((0.0, 0.0, 1.0, 1.0), (0.0, 0.0, 100.0, 100.0), (50.0, 50.0))
    part = Part(id="tip", name="Tip", shape=PartChoice(id="rectangle"), anchor=Anchor(x=80, y=y))
    assert near_end(part, square, at_top=at_top) is near


@pytest.mark.parametrize("data", ["M1 2L10L20 20", "M1 2LL5 5", "M1 2C1 1 2 2 3L5 5"])
def test_a_path_ends_where_it_cannot_be_read_on(data):
    assert list(pieces(data)) == [("M", [1.0, 2.0])]


def test_a_phase_that_came_back_a_little_off_is_read_as_far_off_as_it_is():
    ripple = Shaping.model_validate({"slot": 1, "shaper": {"id": "ripple"}})
    amount, phase = ripple.name("amount"), ripple.name("phase")
    baked = {amount: np.array([0.2, 0.3]), phase: np.array([30.0, 700.0])}
    back = ripple.read(ripple.seen({**baked, phase: baked[phase] + [5.0, -7.0]}), baked)
    np.testing.assert_allclose(back[phase], [35.0, 693.0], atol=1e-9)


def test_an_envelope_that_nothing_is_blended_of_goes_though_others_stay():
    plain = document(envelopes=(envelope("spare", "amplitude", of="tone"), *document().envelopes))
    assert [item.id for item in RemoveEnvelope(id="spare").apply(plain).envelopes] == [
        item.id for item in document().envelopes
    ]
    blended = envelope("mix", "blend first=spare", of=None)
    with pytest.raises(FernTideError, match="Mix is blended of it"):
        RemoveEnvelope(id="spare").apply(plain.but(envelopes=(*plain.envelopes, blended)))


def test_even_shares_of_few():
    assert even(1).tolist() == [0] and even(2).tolist() == [0, 1] and even(2, closed=True).tolist() == [0, 0.5]


def test_a_turn_that_rounding_made_a_little_more_than_a_right_angle_is_one():
    y = np.array([[0, 0, 1.0000000000000002], [0, 1, 0], [-1, 0, 0]], dtype=np.float64)
    np.testing.assert_allclose(steady_turns(y[..., np.newaxis]).ravel(), [0, 90, 0], atol=1e-6)
