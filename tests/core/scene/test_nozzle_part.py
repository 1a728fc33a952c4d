"""Drops that leave from a part: even over its faces or along its outline, straight out, where it stands at rest."""

import numpy as np
import pytest
from scipy.stats import chisquare, kstest

from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.scene.arrays.layout import completed
from fern_tide.core.scene.arrays.layouts.spray import LAYOUT
from fern_tide.core.scene.arrays.throw import N_KINDS
from fern_tide.core.scene.scene import Part, Scene

RATE = FrameRate.parse("30")


def part(part_id, kind, params, **values):
    return Part.model_validate(
        {"id": part_id, "name": part_id.title(), "shape": {"id": kind, "params": params}, "values": values}
    )


def spray(kind, leaves, **values):
    layout = {"id": "spray", "params": {"count": 30, "nozzle": {"id": "part", "params": {"part": leaves}}}}
    return part("mist", kind, {"layout": layout}, **values)


def scene(*parts):
    return Scene(name="S", kind=parts[0].kind.space, parts=parts)


def kinds_of(stage, name="mist"):
    array = completed(stage, stage.part(name))
    layout = array.shape.params.layout
    return LAYOUT.throws(layout.params, flat=array.kind.space == "2d").kinds


def test_drops_leave_from_a_box_where_it_stands_as_many_on_the_same_area_straight_out():
    crate = part("crate", "box", {"width": 2.0, "height": 1.0, "depth": 0.5}, x=3.0, turn_y=90.0)
    stage = scene(crate, spray("array_3d", "crate", y=1.0))
    kinds = kinds_of(stage)
    own = np.stack([-(kinds.places[2]), kinds.places[1] + 1.0, kinds.places[0] - 3.0])  # turned back by 90 about y
    way = np.stack([-kinds.out[2], kinds.out[1], kinds.out[0]])
    half = np.array([[1.0], [0.5], [0.25]])
    middle = own - np.array([[0.0], [0.5], [0.0]])
    assert np.abs(middle / half).max() == pytest.approx(1) and (np.abs(middle) <= half + 1e-9).all()
    axis = np.argmax(np.abs(way), axis=0)
    np.testing.assert_allclose(np.sort(np.abs(way), axis=0), [[0] * N_KINDS, [0] * N_KINDS, [1] * N_KINDS], atol=1e-9)
    every = np.arange(N_KINDS)
    np.testing.assert_allclose(middle[axis, every], half[axis, 0] * way[axis, every], atol=1e-9)
    areas = np.array([1.0 * 0.5, 2.0 * 0.5, 2.0 * 1.0])
    assert chisquare(np.bincount(axis, minlength=3), N_KINDS * areas / areas.sum()).pvalue > 1e-3
    top = middle[0][(axis == 1) & (way[1] > 0)]
    assert kstest(top / 2 + 0.5, "uniform").pvalue > 1e-3, "even within a face"


def test_neither_its_size_nor_its_aim_moves_where_they_leave():
    crate = part("crate", "box", {})
    stands = [
        motion_of(
            scene(crate, spray("array_3d", "crate", **values)),
            spray("array_3d", "crate", **values),
            {},
            rate=RATE,
            n_frames=1,
        ).flights(np.arange(30))
        for values in ({"force": 0.0, "gravity": 0.0}, {"force": 0.0, "gravity": 0.0, "nozzle": 7.0, "aim_x": 80.0})
    ]
    np.testing.assert_allclose(stands[0].places, stands[1].places)
    assert np.abs(stands[0].places).max() > 0.1


@pytest.mark.parametrize("data", ["M0 0L100 0L100 60L0 60Z", "M0 0L0 60L100 60L100 0Z"])
def test_in_2d_they_leave_along_an_outline_whichever_way_it_is_drawn(data):
    leaf = part("leaf", "path", {"data": data}, x=50.0, y=20.0)
    kinds = kinds_of(scene(leaf, spray("array", "leaf")))
    x, y = kinds.places[0] - 50.0, kinds.places[1] - 20.0
    right = np.isclose(x, 100, atol=0.05) & (y > 1) & (y < 59)
    top = np.isclose(y, 0, atol=0.05) & (x > 1) & (x < 99)
    np.testing.assert_allclose(kinds.out[:, right], np.tile([[1.0], [0], [0]], right.sum()), atol=1e-6)
    np.testing.assert_allclose(kinds.out[:, top], np.tile([[0.0], [1], [0]], top.sum()), atol=1e-6)  # up is y here
    assert chisquare([right.sum(), top.sum()], (right.sum() + top.sum()) * np.array([58, 98]) / 156).pvalue > 1e-3
    assert not kinds.places[2].any()


def test_from_an_open_line_they_leave_to_the_side_that_is_up():
    gutter = part("gutter", "path", {"data": "M100 40L0 0"})
    out = kinds_of(scene(gutter, spray("array", "gutter"))).out
    assert (out[1] > 0.9).all()


@pytest.mark.parametrize(("kind", "leaves"), [("array_3d", "gone"), ("array", ""), ("array_3d", "hollow")])
def test_what_is_gone_or_has_no_face_lets_them_leave_in_the_middle(kind, leaves):
    more = [part("hollow", "group_3d", {})] if kind == "array_3d" else []
    kinds = kinds_of(scene(*more, spray(kind, leaves)))
    assert not kinds.places.any() and (kinds.out[1] == 1).all()


def test_they_are_offered_what_has_faces_or_an_outline():
    solid = scene(part("crate", "box", {}), part("words", "text_3d", {}), spray("array_3d", ""))
    assert "crate" in [item.id for item in LAYOUT.offers(solid, solid.part("mist"))]
    flat = scene(part("leaf", "star", {}), part("words", "text", {}), spray("array", ""))
    assert [item.id for item in LAYOUT.offers(flat, flat.part("mist"))] == ["leaf"]
    plain = part("mist", "array", {"layout": {"id": "spray"}})
    assert LAYOUT.offers(scene(plain), plain) == [] and completed(scene(plain), plain) is plain
