"""Ways of where a file moves a node, against scipy's Hermite spline and through turned parents."""

import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation
from tests.gltf import glb

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.workflows.tune.ways import way_from

TIMES = np.array([0, 0.5, 2.0], dtype="<f4")
PLACES = np.array([[0, 0, 0], [1, 2, 0], [3, 0, 1]], dtype="<f4")
TANGENTS = np.array([[0, 4, 0], [2, 0, 1], [0, -1, 0]], dtype="<f4")


def flyer(output, interpolation, path="translation", count=3):
    times = np.linspace(0, 2, count, dtype="<f4") if count != 3 else TIMES
    binary = times.tobytes() + output.tobytes()
    width = {"rotation": "VEC4"}.get(path, "VEC3")
    plain = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [
            {"name": "Cart", "translation": [5, 0, 0], "rotation": [0, 0.5**0.5, 0, 0.5**0.5], "children": [1]},
            {"name": "Bee", "translation": [9, 9, 9]},
        ],
        "animations": [
            {
                "samplers": [{"input": 0, "output": 1, "interpolation": interpolation}],
                "channels": [{"sampler": 0, "target": {"node": 1, "path": path}}],
            }
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": count, "type": "SCALAR", "min": [0], "max": [2]},
            {"bufferView": 1, "componentType": 5126, "count": len(output), "type": width},
        ],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": times.nbytes},
            {"buffer": 0, "byteOffset": times.nbytes, "byteLength": output.nbytes},
        ],
        "buffers": [{"byteLength": len(binary)}],
    }
    file = SceneFile(id="file", kind="gltf", name="flight.glb", media="a" * 64)
    gltf = read_gltf(glb(plain, binary))
    scene = Scene(name="S", kind="3d", files=(file,), parts=parts_of(gltf.json, file, ids=Ids()))
    return scene, SceneMedia(gltfs={file.media: gltf})


def points_of(command):
    params = command.part.shape.params
    return np.array([(item.x, item.y, item.z) for item in params.points]), params.smooth


def in_world(places):
    return Rotation.from_euler("Y", 90, degrees=True).apply(places) + np.array([5.0, 0.0, 0.0])


def test_a_way_leads_where_the_file_moves_a_node_with_its_corners():
    command, way = way_from(*flyer(PLACES, "LINEAR"), "bee")
    points, smooth = points_of(command)
    np.testing.assert_allclose(points, in_world(PLACES), atol=1e-4)
    assert way == "way-of-bee" and command.part.parent is None and not smooth


def test_a_way_lies_beside_the_file_in_what_that_lies_in():
    scene, media = flyer(PLACES, "LINEAR")
    shelf = Part.model_validate({"id": "shelf", "name": "Shelf", "values": {"x": 7.0}, "shape": {"id": "group_3d"}})
    root, *rest = scene.parts
    scene = scene.but(parts=(shelf, root.but(parent="shelf"), *rest))
    command, _ = way_from(scene, media, "bee")
    assert command.part.parent == "shelf"
    np.testing.assert_allclose(points_of(command)[0], in_world(PLACES), atol=1e-4)


def test_a_cubic_spline_is_followed_round_its_bends():
    output = np.stack([TANGENTS, PLACES, TANGENTS], axis=1).reshape(-1, 3).astype("<f4")
    points, smooth = points_of(way_from(*flyer(output, "CUBICSPLINE"), "bee")[0])
    exact = CubicHermiteSpline(TIMES, PLACES, TANGENTS)
    times = np.concatenate([np.linspace(0, 0.5, 5)[:-1], np.linspace(0.5, 2, 5)])
    np.testing.assert_allclose(points, in_world(exact(times)), atol=1e-4)
    assert smooth


def test_thousands_of_keys_are_a_thousand_points_from_the_first_to_the_last():
    many = np.column_stack([np.linspace(0, 7, 5000)] * 3).astype("<f4")
    points, _ = points_of(way_from(*flyer(many, "STEP", count=5000), "bee")[0])
    assert len(points) == 1000
    np.testing.assert_allclose(points[[0, -1]], in_world(many[[0, -1]]), atol=1e-4)


@pytest.mark.parametrize("part", ["cart", "bee"])
def test_what_its_file_does_not_move_gives_no_way(part):
    turning = np.tile(np.array([0, 0, 0, 1], dtype="<f4"), (3, 1))
    with pytest.raises(InvalidParameter, match="a node that its file moves"):
        way_from(*flyer(turning, "LINEAR", path="rotation"), part)


@pytest.mark.parametrize(("count", "interpolation"), [(4, "CUBICSPLINE"), (3, "CUBICSPLINE"), (2, "LINEAR")])
def test_an_animation_that_is_not_whole_gives_no_way_and_says_so(count, interpolation):
    with pytest.raises(InvalidParameter, match="whole and not packed"):
        way_from(*flyer(np.zeros((count, 3), dtype="<f4"), interpolation), "bee")
