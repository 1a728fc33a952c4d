"""Outlines under shapers, against the definitions by hand; regions; what SVG and Lottie carry of them."""

import re
import xml.etree.ElementTree as ET

import numpy as np
import pytest

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.drawing import draw
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.outlines import outline_box, outlines_key, outlines_of, seen_at
from fern_tide.core.scene.own_motion import overruled
from fern_tide.core.scene.region import Region, Where
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.shaping import SHAPERS
from fern_tide.core.scene.svg.outline import path_strokes
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

FRAMES = 40
STEM = "M100 500L100 100"
FROND = b"""<svg xmlns="http://www.w3.org/2000/svg"
 xmlns:f="http://www.w3.org/2000/svg" viewBox="0 0 200 400" width="200" height="400">
 <defs><path id="pattern" d="M0 0L9 9"/></defs>
 <g id="frond" transform="translate(100 380) scale(2 -2)">
  <path id="stem" d="M-2 0 L-1 150 L1 150 L2 0 Z" fill="#3f6a3a"/>
  <f:rect id="leaf" x="2" y="60" width="30" height="8" rx="3" transform="rotate(10 2 60)"></f:rect>
  <g transform="translate(0 100)"><ellipse cx="-12" cy="0" rx="12" ry="4"/><text x="0" y="0">fern</text></g>
  <polyline points="0,0 4,20 -4,40" fill="none" stroke="#fff"/>
 </g><circle id="moon" cx="30" cy="30" r="9"/></svg>"""
PLAIN = SceneMedia()


def path(data=STEM, *shapers, kind="path", params=None, **values):
    listed = [{"slot": at + 1, "shaper": one} for at, one in enumerate(shapers)]
    shape = {"id": kind, "params": {"data": data} if params is None else params}
    plain = {"id": "stem", "name": "Stem", "shape": shape, "shapers": listed, "values": values}
    return Part.model_validate(plain)


def points_of(part, scene=None, media=PLAIN):
    scene = scene or Scene(name="S", parts=(part,))
    (outline,) = outlines_of(scene, media, part)
    return outline.at(seen_at(part, part.own))


def frond(content=FROND, **shaped):
    """The drawing as a scene: its parts by name get the shapers that are given for them."""
    sheet = Sheet(read_svg(content))
    file = SceneFile(id="f", name="garden.svg", media="a" * 64, kind="svg")
    parts = []
    for part in parts_of(sheet, file, ids=Ids(())):
        listed = [{"slot": at + 1, "shaper": {"id": name}} for at, name in enumerate(shaped.get(part.id, ()))]
        parts.append(Part.model_validate({**part.model_dump(), "shapers": listed}))
    scene = Scene(name="S", parts=tuple(parts), files=(file,))
    return scene, SceneMedia(sheets={"a" * 64: sheet})


def hand_off(scene, media, ends):
    drives = [{"target": name, "rest": rest, "full": full} for name, (rest, full) in ends.items()]
    mapping = Mapping.model_validate(
        {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0, "high": 1}, "drives": drives}
    )
    lift = 0.5 - 0.5 * np.cos(np.arange(FRAMES) / 5)
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=FRAMES)
    return HandOff("Frond", scene, curves, FrameRate.parse("25"), FRAMES, media=media)


def written(off):
    return write(off, format=FORMATS["svg"], params=FORMATS["svg"].params()).content


# --- against the definitions


@pytest.mark.parametrize("angle", [90.0, -60.0])
def test_a_bent_line_is_an_arc_of_the_same_length_whose_base_stays(angle):
    points = points_of(path(STEM, {"id": "bend"}, shaper1_amount=angle))
    ends = points[::3]
    radius = 400 / np.radians(angle)
    np.testing.assert_allclose(np.hypot(ends[:, 0] - 100 - radius, ends[:, 1] - 500), abs(radius), atol=2e-3)
    np.testing.assert_allclose(ends[0], [100, 500], atol=1e-3)
    turn = np.radians(angle)
    np.testing.assert_allclose(ends[-1], [100 + radius * (1 - np.cos(turn)), 500 - radius * np.sin(turn)], atol=2e-3)
    share = np.linspace(0, 1, 9)[:, None]
    for p, q, r, s in zip(points[:-1:3], points[1::3], points[2::3], points[3::3], strict=True):
        between = (
            p * (1 - share) ** 3 + 3 * q * share * (1 - share) ** 2 + 3 * r * share**2 * (1 - share) + s * share**3
        )
        away = np.hypot(between[:, 0] - 100 - radius, between[:, 1] - 500)
        np.testing.assert_allclose(away, abs(radius), atol=3e-3)  # the handles turn with the arc


def test_between_two_steps_a_bend_is_off_by_less_than_half_a_percent():
    points = points_of(path(STEM, {"id": "bend"}, shaper1_amount=45.0))[::3]
    radius = 400 / np.radians(45)
    assert np.abs(np.hypot(points[:, 0] - 100 - radius, points[:, 1] - 500) - radius).max() < 0.005 * 400


def test_a_stretch_keeps_the_area_and_a_taper_moves_the_last_plane_alone():
    box = {"x": 100, "y": 100, "width": 80, "height": 200}
    tall = points_of(path(None, {"id": "stretch"}, kind="rectangle", params=box, shaper1_amount=2.0))[::3]
    x, y = tall.T
    area = abs(np.sum(x[:-1] * y[1:] - x[1:] * y[:-1])) / 2
    assert area == pytest.approx(80 * 200, rel=1e-3) and np.ptp(y) == pytest.approx(400) and y.max() == 300
    thin = points_of(path(None, {"id": "taper"}, kind="rectangle", params=box, shaper1_amount=0.25))[::3]
    top, base = thin[thin[:, 1] == 100], thin[thin[:, 1] == 300]
    assert np.ptp(top[:, 0]) == pytest.approx(20) and np.ptp(base[:, 0]) == pytest.approx(80)
    assert top[:, 0].mean() == pytest.approx(140, abs=1)


def test_a_ripple_runs_outward_from_the_middle_in_pixels():
    ripple = {"id": "ripple", "params": {"wavelength": 100}}
    points = points_of(path("M0 300L400 300", ripple, shaper1_amount=10.0, shaper1_phase=90.0))[::3]
    away = np.abs(points[:, 0] - 200)
    np.testing.assert_allclose(points[:, 1], 300 - 10 * np.sin(2 * np.pi * away / 100 - np.pi / 2), atol=2e-3)
    assert path(STEM, ripple).property("shaper1_amount").unit == "px"


def test_a_push_goes_outward_all_round_and_tears_nothing():
    ellipse = {"cx": 0, "cy": 0, "rx": 100, "ry": 60}
    part = path(None, {"id": "push", "params": {"size": 5000}}, kind="ellipse", params=ellipse, shaper1_amount=10.0)
    before = points_of(part.but(values={}))[::3]
    moved = points_of(part)[::3] - before
    facing = before / np.array([100.0**2, 60.0**2])
    facing /= np.linalg.norm(facing, axis=1, keepdims=True)
    outward = np.sum(moved * facing, axis=1)
    assert np.abs(moved - outward[:, None] * facing).max() < 0.05 * np.abs(outward).max()
    assert np.ptp(outward) < 0.3 * np.abs(outward).max(), "bumps of 5,000 px are the same all over"
    np.testing.assert_allclose(moved[0], moved[-1], atol=1e-3)


@pytest.mark.parametrize("data", ["M0 0L100 0L100 60L0 60Z", "M0 0L0 60L100 60L100 0Z"])
def test_a_push_goes_outward_whichever_way_an_outline_is_drawn(data):
    part = path(data, {"id": "push", "params": {"size": 90_000, "seed": 2}}, shaper1_amount=10.0)
    wide = np.ptp(points_of(part)[::3], axis=0) - [100, 60]
    one = np.ptp(points_of(path("M0 0L100 0L100 60L0 60Z", part.shapers[0].shaper, shaper1_amount=10.0))[::3], axis=0)
    np.testing.assert_allclose(wide, one - [100, 60], atol=1e-3)
    assert (np.abs(wide) > 1).all()


@pytest.mark.parametrize("name", SHAPERS)
def test_at_rest_an_outline_stays_the_same_curve(name):
    data = "M0 0C50 -80 90 10 120 40S200 90 240 0L240 60Q120 200 0 60Z"
    shaped = points_of(path(data, {"id": name}))
    ends = {tuple(np.round(point, 2)) for point in shaped[::3]}
    for curves, _ in path_strokes(data):
        for curve in curves:
            assert tuple(np.round(curve[3, :2], 2)) in ends
    inside = draw(Scene(name="S", parts=(path(data, {"id": name}),)))
    assert (
        next(one for one in inside.iter() if one.get("id") == "stem--own").get("d", "").count("C") == len(shaped) // 3
    )


def test_a_smooth_joint_stays_smooth():
    part = path("M0 400C0 300 0 250 60 200S60 50 0 0", {"id": "bend"}, {"id": "twist"}, shaper1_amount=60.0)
    points = points_of(part)
    into, out = np.diff(points, axis=0)[2:-1:3], np.diff(points, axis=0)[3::3]
    turn = np.abs(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0])
    assert (turn < 2e-3 * np.linalg.norm(into, axis=1) * np.linalg.norm(out, axis=1) + 2e-2).all()


def test_a_shaper_in_a_region_leaves_the_rest_where_it_is():
    part = path("M0 400L0 0", {"id": "ripple", "params": {"axis": "x", "wavelength": 100}}, shaper1_amount=20.0)
    region = Region(where=Where.BALL, up=0.75, reach=0.25)
    shaped = points_of(part.but(shapers=(part.shapers[0].but(region=region),)))[::3]
    assert np.abs(shaped[shaped[:, 1] > 201, 0]).max() == 0.0 and np.abs(shaped[shaped[:, 1] < 199, 0]).max() > 5
    assert "region" not in part.model_dump_json()


# --- elements of drawings


def test_what_lies_in_an_element_is_shaped_as_one():
    scene, media = frond(frond=["bend"])
    part = scene.part("frond").but(values={"shaper1_amount": 90.0})
    scene = scene.but(parts=tuple(part if one.id == "frond" else one for one in scene.parts))
    outlines = outlines_of(scene, media, part)
    assert [media.sheets["a" * 64].drawing.nodes[one.node].tag for one in outlines] == [
        "path",
        "rect",
        "ellipse",
        "polyline",
    ]
    low, high = outline_box(scene, media, part)
    np.testing.assert_allclose(
        [low[1], high[1]], [-150, 0], atol=1e-6
    )  # the group counts up where the drawing counts down
    # the tip of the leaf: 30 along, turned by 10 degrees, then the bend about the group's own middle line
    tip = outlines[1]
    where = 3 * np.argmax(tip.points[::3, 0])  # an end: a handle lies on no outline
    seen = seen_at(part, part.own)
    turn = np.radians(10.0)
    x, y = tip.points[where] - [2, 60]
    inside = np.array([2 + x * np.cos(turn) - y * np.sin(turn), 60 + x * np.sin(turn) + y * np.cos(turn)])
    middle, radius = (low[0] + high[0]) / 2, 150 / np.radians(90)
    angle = (-inside[1] - low[1]) / radius
    away = radius - (inside[0] - middle)
    bent = np.array([middle + radius - away * np.cos(angle), -(low[1] + away * np.sin(angle))])
    moved = tip.at(seen)[where] - [2, 60]
    there = [
        2 + moved[0] * np.cos(turn) - moved[1] * np.sin(turn),
        60 + moved[0] * np.sin(turn) + moved[1] * np.cos(turn),
    ]
    np.testing.assert_allclose(there, bent, atol=2e-3)


def test_elements_that_stand_elsewhere_or_are_larger_are_shaped_as_they_are():
    scene, media = frond(frond=["bend"])
    key = outlines_key(scene, media, scene.part("frond"))
    moved = scene.but(parts=tuple(one.but(values={"x": 40.0}) if one.id == "leaf" else one for one in scene.parts))
    assert (
        outline_box(moved, media, moved.part("frond"))[1][0] > outline_box(scene, media, scene.part("frond"))[1][0] + 30
    )
    wide = [one.but(values={**one.values, "box_width": 90.0}) if one.id == "leaf" else one for one in scene.parts]
    assert np.ptp(
        outlines_of(scene.but(parts=tuple(wide)), media, scene.part("frond"))[1].points[:, 0]
    ) == pytest.approx(90)
    assert outlines_key(moved, media, moved.part("frond")) != key == outlines_key(scene, media, scene.part("frond"))


@pytest.mark.parametrize("error_percent", [0.0, 0.5])
@pytest.mark.parametrize("format_id", ["svg", "lottie"])
@pytest.mark.parametrize("where", ["garden", "frond", "leaf", "stem"])
def test_amounts_come_back_from_files(format_id, where, error_percent):
    scene, media = frond(**{where: ["bend", "ripple", "taper"]})
    ends = {
        f"{where}:shaper1_amount": (-80, 85),
        f"{where}:shaper2_amount": (0, 6),
        f"{where}:shaper3_amount": (1, 0.3),
    }
    ends |= {f"{where}:shaper2_phase": (0, 700), "moon:radius": (9, 30)}
    spec = FORMATS[format_id]
    ends = {
        name: one
        for name, one in ends.items()
        if spec.carries_property(scene.part(name.split(":")[0]), name.split(":")[1])
    }
    written = write(hand_off(scene, media, ends), format=spec, params=spec.params(error_percent=error_percent))
    assert written.n_curves == len(ends) >= 4 and written.error < (
        {"svg": 1e-3, "lottie": 1e-5}[format_id] if not error_percent else 0.02
    )


@pytest.mark.parametrize(("where", "n_paths"), [("frond", 4), ("garden", 5)])
def test_a_drawing_comes_back_letter_for_letter_but_for_what_is_a_path_now(where, n_paths):
    scene, media = frond(**{where: ["bend"]})
    content = written(hand_off(scene, media, {f"{where}:shaper1_amount": (0, 90)}))
    ET.fromstring(content)
    text = media.sheets["a" * 64].drawing.text.decode()
    back = re.sub(r"<(?:f:)?animate\b[^>]*?/>", "", content.decode())
    back = back.replace("<f:path", "<f:rect").replace("</f:path>", "</f:rect>")
    back = back.replace('<path cx="-12"', '<ellipse cx="-12"').replace("<path points", "<polyline points")
    back = back.replace('<path id="moon"', '<circle id="moon"')
    back = re.sub(r"></path>", "/>", back)
    assert back == text and content.count(b'attributeName="d"') == n_paths
    for still in (frond(), frond(**{where: ["bend", "ripple"]})):
        assert b'attributeName="d"' not in written(hand_off(*still, {"moon:radius": (9, 30)}))


def test_a_files_own_motion_of_an_outline_gives_way_to_shapers():
    own = b'<animate attributeName="rx" values="3;0" dur="2s"/>'
    own += b'<animate attributeName="fill" values="#fff;#000" dur="2s"/>'
    for shaped in ((), ("bend",)):
        scene, media = frond(FROND.replace(b"></f:rect>", b">" + own + b"</f:rect>"), frond=shaped)
        scene = scene.but(files=(scene.files[0].but(plays=True),))
        drawn = [one.get("attributeName") for one in draw(scene, media=media).iter("animate")]
        assert drawn == ["rx", "fill"][len(shaped) :]
        assert [words for _, words in overruled(scene, (), media=media)] == ["outline"] * len(shaped)
    content = written(hand_off(scene, media, {"frond:shaper1_amount": (0, 90)}))
    assert b'"rx"' not in content and b'values="#fff;#000"' in content


@pytest.mark.parametrize(
    ("shaped", "words"),
    [
        ({"frond": ["bend"], "leaf": ["bend"]}, "which it lies in"),
        ({"garden": ["push"], "stem": ["bend"]}, "which it lies in"),
        ({"fern": ["bend"]}, "a shape with an outline"),
    ],
)
def test_what_cannot_be_shaped_is_said(shaped, words):
    with pytest.raises(InvalidParameter, match=words):
        frond(**shaped)


def test_a_drawing_of_too_many_curves_is_refused_with_what_to_do():
    scene, _ = frond()
    part = scene.part("frond")
    many = part.but(shape=part.shape.but(params=part.shape.params.but(curves=20_000)))
    shaped = Part.model_validate({**many.model_dump(), "shapers": [{"slot": 1, "shaper": {"id": "bend"}}]})
    with pytest.raises(InvalidParameter, match="fewer shapers, a smaller most, or part of it"):
        scene.but(parts=tuple(shaped if one.id == "frond" else one for one in scene.parts))


def test_words_pictures_and_graphics_have_no_outline():
    for kind in ("text", "group", "sound_graphic", "glow"):
        with pytest.raises(InvalidParameter, match="a shape with an outline"):
            Scene(name="S", parts=(path(None, {"id": "bend"}, kind=kind, params={}),))


def test_a_path_that_is_too_long_to_be_looked_into_stays_as_it_is():
    svg = FROND.replace(b"M-2 0 L", b"M-2 0" + b"L0 0" * 300_000 + b"L")
    sheet = Sheet(read_svg(svg))
    parts = parts_of(sheet, SceneFile(id="f", name="garden.svg", media="a" * 64, kind="svg"), ids=Ids(()))
    curves = {part.id: part.shape.params.curves for part in parts}
    assert curves["stem"] == 0 and 15 < curves["frond"] < 60
