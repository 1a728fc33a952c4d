"""Pieces that stand on ways and on solids, by hand and by area; and what becomes of them when these go."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from scipy.stats import chisquare, kstest

from fern_tide.core.bake.expand import without_motion
from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project
from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.scene import Part, Scene

RATE = FrameRate.parse("24")


def part(id, kind, params=None, **more):
    return Part.model_validate({"id": id, "name": id.title(), "shape": {"id": kind, "params": params or {}}, **more})


def row(layout, kind="array_3d", space="3d", others=(), values=None, **params):
    layout = {"id": layout, "params": params}
    array = part("row", kind, {"layout": layout}, values=values or {})
    scene = Scene(name="S", kind=space, parts=(*others, array))
    return scene, motion_of(scene, array, {}, rate=RATE, n_frames=4)


def turned(motion):
    return Rotation.from_euler("XYZ", motion.pieces.laid.turns.T, degrees=True)


def test_on_a_circle_pieces_stand_evenly_facing_along_it_through_groups():
    ring = part(
        "ring", "ellipse", {"cx": 0, "cy": 0, "rx": 100, "ry": 100}, values={"x": 300, "scale_x": 2, "scale_y": 2}
    )
    _, motion = row("along", "array", "2d", (ring,), {"x": 300, "y": 40}, count=8, way="ring")
    places = motion.places(np.arange(8))[..., 0]
    np.testing.assert_allclose(np.hypot(places[0], places[1] + 40), 200, rtol=1e-4)
    angles = np.unwrap(np.arctan2(places[1] + 40, places[0]))
    np.testing.assert_allclose(np.diff(angles), np.pi / 4, rtol=1e-3)
    np.testing.assert_allclose(motion.pieces.laid.turns[2], np.degrees(angles) + 90, atol=0.1)
    away = motion.pieces.laid.places({"beside": 10.0})
    np.testing.assert_allclose(np.hypot(away[:, 0], away[:, 1] + 40), 190, rtol=1e-3)  # to the right is inward


def test_in_space_their_fronts_go_ahead_and_the_first_and_last_stand_at_the_ends():
    points = [{"x": 0, "y": 0, "z": 0}, {"x": 1, "y": 1, "z": 0}, {"x": 2, "y": 0, "z": 2}]
    _, motion = row("along", others=(part("way", "way_3d", {"points": points}),), count=5, way="way")
    places = motion.places(np.arange(5))[..., 0]
    np.testing.assert_allclose(places[:, [0, -1]].T, [[0, 0, 0], [2, 0, 2]], atol=1e-9)
    steps = np.diff(places, axis=1)
    front = turned(motion).apply([0, 0, 1])
    assert all(front[at] @ steps[:, at] > 0 for at in range(4))
    _, still = row(
        "along",
        others=(part("way", "way_3d", {"points": points}),),
        count=5,
        way="way",
        facing=False,
        begin=0.5,
        end=0.5,
    )
    assert np.ptp(still.places(np.arange(5)), axis=1).max() < 1e-12 and not still.pieces.laid.turns.any()


def test_on_a_box_as_many_stand_on_the_same_area_straight_up_from_it():
    box = part("block", "box", {"width": 2, "height": 1, "depth": 3}, values={"x": 5, "turn_y": 90})
    _, motion = row("faces", others=(box,), count=6000, solid="block")
    places = motion.places(np.arange(6000))[..., 0].T
    up = turned(motion).apply([0, 1, 0])
    local = Rotation.from_euler("Y", -90, degrees=True)
    inside, out = local.apply(places - [5, 0, 0]), local.apply(up)
    assert np.abs(inside[:, 0]).max() <= 1 + 1e-6 and inside[:, 1].min() > -1e-6 and inside[:, 1].max() < 1 + 1e-6
    faces = [np.count_nonzero(np.abs(np.abs(out[:, axis]) - 1) < 1e-6) for axis in range(3)]
    assert sum(faces) == 6000
    areas = np.array([2 * 1 * 3, 2 * 2 * 3, 2 * 2 * 1])
    assert chisquare(faces, 6000 * areas / areas.sum()).pvalue > 1e-3
    on_face = inside[np.abs(out[:, 1] - 1) < 1e-6]
    np.testing.assert_allclose(on_face[:, 1], 1, atol=1e-6)
    for axis, half in ((0, 1.0), (2, 1.5)):
        assert kstest(on_face[:, axis] / (2 * half) + 0.5, "uniform").pvalue > 1e-3, "even within a face"
    off = motion.pieces.laid.places({"out": 0.5})
    np.testing.assert_allclose(off - places, 0.5 * up, atol=1e-6)


@pytest.mark.parametrize(("layout", "named"), [("along", "way"), ("faces", "solid")])
@pytest.mark.parametrize("what", ["", "nobody", "row", "lamp"])
def test_without_what_they_stand_on_all_are_in_the_middle(layout, named, what):
    scene, motion = row(layout, others=(part("lamp", "point_light"),), count=3, **{named: what})
    assert not motion.places(np.arange(3)).any() and motion.pieces.n_pieces == 3
    assert len(without_motion(scene.at_rest).parts) == 5


def test_what_can_be_stood_on_is_offered_and_what_lies_around_the_array_is_not():
    cart = part("cart", "group_3d")
    inside = part("ball", "sphere", parent="row")
    scene, _ = row("faces", others=(cart, part("block", "box"), part("way", "way_3d")))
    scene = scene.but(parts=(*scene.parts, inside))
    offered = {
        name: [item.id for item in LAYOUTS[name].offers(scene, scene.part("row"))] for name in ("faces", "along")
    }
    assert offered == {"faces": ["block"], "along": ["way"]}


def test_when_the_way_is_bent_the_pieces_are_stale_and_stand_elsewhere():
    def project(x):
        points = [{"x": 0, "y": 0, "z": 0}, {"x": x, "y": 0, "z": 0}]
        scene, _ = row("along", others=(part("way", "way_3d", {"points": points}),), count=3, way="way")
        mapping = {
            "id": "m",
            "name": "m",
            "envelope": "e",
            "marks": {"low": 0, "high": 1},
            "drives": [{"target": "row:piece_y", "rest": 0, "full": 1}],
        }
        envelope = {"id": "e", "name": "e", "reading": {"id": "beats"}}
        return Project.model_validate(
            {
                "name": "P",
                "scene": scene.model_dump(),
                "mappings": [mapping],
                "envelopes": [envelope],
                "length_frames": 9,
            }
        )

    one, same, other = (Graph(project(x)) for x in (2, 2, 3))
    (target,) = one.curves
    assert one.curves[target].fingerprint == same.curves[target].fingerprint != other.curves[target].fingerprint
    stored = project(2).scene.part("row").shape.params.layout.params
    assert stored.line == "", "the document does not hold the way twice"
