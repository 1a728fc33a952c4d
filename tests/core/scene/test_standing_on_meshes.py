"""Pieces that stand on a mesh that came with a file: even by area, straight out, where it stands, mirrored too."""

import gc
import hashlib

import numpy as np
import pytest
from scipy.stats import chisquare
from tests.core.scene.test_standing_on import RATE, part, turned
from tests.gltf import glb

from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.scene.arrays.layouts import faces
from fern_tide.core.scene.arrays.nozzles import part as nozzle
from fern_tide.core.scene.gltf import surfaces
from fern_tide.core.scene.mesh import box
from fern_tide.workflows.bring_in.scene_files import look_at, scene_of

SIZE = (1.0, 2.0, 3.0)


def crate(*, indexed=True, mode=4, scale=(1, 1, 1)):
    """A GLB of a box of SIZE on y = 0 in a node that is moved and turned by 90 degrees about y, in a higher one."""
    mesh = box(*SIZE)
    corners = mesh.triangles.ravel()
    points = (mesh.positions if indexed else mesh.positions[corners]).astype("<f4")
    binary = points.tobytes() + (corners.astype("<u2").tobytes() if indexed else b"")
    binary += b"\0" * (-len(binary) % 4)
    low, high = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    accessors = [
        {"bufferView": 0, "componentType": 5126, "count": len(points), "type": "VEC3", "min": low, "max": high}
    ]
    views = [{"buffer": 0, "byteLength": points.nbytes}]
    primitive = {"attributes": {"POSITION": 0}, "mode": mode}
    if indexed:
        accessors.append({"bufferView": 1, "componentType": 5123, "count": len(corners), "type": "SCALAR"})
        views.append({"buffer": 0, "byteOffset": points.nbytes, "byteLength": 2 * len(corners)})
        primitive["indices"] = 1
    half = 0.5**0.5
    node = {"name": "Crate", "mesh": 0, "translation": [5, 0, 0], "rotation": [0, half, 0, half], "scale": list(scale)}
    plain = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "Shelf", "translation": [0, 10, 0], "children": [1]}, node],
        "meshes": [{"primitives": [primitive]}],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{"byteLength": len(binary)}],
    }
    return glb(plain, binary)


class Folder:
    """What keeps files, and lends them."""

    def __init__(self, *contents):
        self.contents = {hashlib.sha256(one).hexdigest(): one for one in contents}
        surfaces.lend(self.read)

    def read(self, digest):
        try:
            return self.contents[digest]
        except KeyError:
            raise OSError(digest) from None


def stood(content, *, keep=True, **params):
    folder = Folder(*([content] if keep else []))
    scene = scene_of(look_at({"crate.glb": content}), hashlib.sha256(content).hexdigest())
    row = part("row", "array_3d", {"layout": {"id": "faces", "params": {"solid": named(scene, "Crate"), **params}}})
    scene = scene.but(parts=(*scene.parts, row))
    return scene, motion_of(scene, row, {}, rate=RATE, n_frames=1), folder


def named(scene, name):
    return next(item.id for item in scene.parts if item.name == name)


@pytest.mark.parametrize("scale", [(1, 1, 1), (-1, 1, 1), (2, 2, 2)])
@pytest.mark.parametrize("indexed", [True, False])
def test_they_stand_on_its_faces_as_many_on_the_same_area_straight_out(indexed, scale):
    _, motion, _ = stood(crate(indexed=indexed, scale=scale), count=6000)
    size = np.abs(scale) * SIZE
    places = motion.places(np.arange(6000))[..., 0].T - [5, 10, 0]
    out = turned(motion).apply([0, 1, 0])
    # turned by 90 degrees about y, what was along x is along -z, and what was along z is along x
    inside, ways = (np.stack([-v[:, 2], v[:, 1], v[:, 0]], axis=1) for v in (places, out))
    middle = inside - [0, size[1] / 2, 0]
    axis = np.abs(ways).argmax(axis=1)
    rows = np.arange(6000)
    np.testing.assert_allclose(np.abs(ways[rows, axis]), 1, atol=1e-6)
    np.testing.assert_allclose(middle[rows, axis], ways[rows, axis] * (size / 2)[axis], atol=1e-5)
    assert (np.abs(middle) <= size / 2 + 1e-5).all()
    sides = np.array([size[1] * size[2], size[0] * size[2], size[0] * size[1]])
    assert chisquare(np.bincount(axis, minlength=3), 6000 * sides / sides.sum()).pvalue > 1e-3


def test_drops_leave_from_it_too_and_it_is_offered():
    content = crate()
    scene, _, _folder = stood(content)
    row = scene.part("row")
    assert [item.name for item in faces.offers(scene, row)] == ["Crate"]
    spray = part("row", "array_3d", {"layout": {"id": "spray"}})
    form = nozzle.given(scene, spray, nozzle.PartNozzleParams(part=named(scene, "Crate")))
    places, out = nozzle.leave(form, np.random.default_rng(2).random((500, 2)))
    assert np.abs(places - [5, 11, 0]).max() <= 1.5 + 1e-6 and np.ptp(places[:, 1]) == pytest.approx(2, abs=0.02)
    assert (np.einsum("ij,ij->i", out, places - [5, 11, 0]) > 0).all(), "out of it"


@pytest.mark.parametrize("content", [crate(mode=1), crate(scale=(7, 1, 1))])
def test_what_has_no_triangles_or_is_not_there_lets_them_stand_in_the_middle(content):
    there = content == crate(mode=1)
    scene, motion, folder = stood(content, keep=there, count=3)
    assert not motion.places(np.arange(3)).any()
    if there:
        assert faces.offers(scene, scene.part("row")) == []
        return
    folder.contents[hashlib.sha256(content).hexdigest()] = content
    again = motion_of(scene, scene.part("row"), {}, rate=RATE, n_frames=1)
    assert again.places(np.arange(3)).any(), "a file that comes later counts"


def test_files_are_lent_no_longer_than_what_keeps_them_is_there():
    content = crate(scale=(3, 1, 1))
    digest = hashlib.sha256(content).hexdigest()
    folder = Folder(content)
    assert len(surfaces.triangles_of_node(digest, 1)) == 12
    assert len(surfaces.triangles_of_node(digest, 0)) == 0, "a node without a mesh"
    del folder
    gc.collect()
    surfaces._triangles.cache_clear()
    assert len(surfaces.triangles_of_node(digest, 1)) == 0
