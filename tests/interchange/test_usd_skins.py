"""Meshes that joints carry, in USD: OpenUSD's own skinning has every point where glTF's rule puts it."""

import numpy as np
import pytest
from pxr import UsdGeom, UsdSkel
from scipy.spatial.transform import Rotation
from tests.gltf import Packing, model
from tests.interchange.test_usd_shapes import FILE, KINDS, N_FRAMES, meshes_of, opened

from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia

POINTS = np.array([[x, 0.5 * y, 0.1 * x * y] for y in range(4) for x in (0, 1)], dtype="<f4")
CARRIERS = np.tile(np.array([0, 1, 0, 0], dtype="<u1"), (8, 1))
SHARES = np.array([[255 - 36 * at, 36 * at, 0, 0] for at in range(8)], dtype="<u1")
TRIANGLES = np.array([0, 1, 2, 1, 3, 2, 2, 3, 4, 3, 5, 4, 4, 5, 6, 5, 7, 6], dtype="<u2")
MOVES = np.array([[0, 0, 0.2 * at] for at in range(8)], dtype="<f4")
LEAN = Rotation.from_euler("y", 30, degrees=True)
BOUND = np.array([[[1, 0, 0, -0.2], [0, 1, 0, 0.1], [0, 0, 1, 0], [0, 0, 0, 1]],
                  [[0, 1, 0, -1.0], [-1, 0, 0, 0.3], [0, 0, 2, 0.1], [0, 0, 0, 1]]])  # fmt: skip
"""What takes a point into each joint, as it was bound."""


def stalk(*, bound=BOUND, carriers=CARRIERS, morphs=False):
    """A model whose mesh two joints carry, in a frame that is turned and stretched; the mesh's own place counts not."""
    packing = Packing()
    add = packing.add
    attributes = {
        "POSITION": packing.points(POINTS),
        "JOINTS_0": add(carriers, 5121, "VEC4"),
        "WEIGHTS_0": add(SHARES, 5121, "VEC4", normalized=True),
    }
    primitive = {"attributes": attributes, "indices": add(TRIANGLES, 5123, "SCALAR")}
    if morphs:
        primitive["targets"] = [{"POSITION": add(MOVES, 5126, "VEC3")}]
    skin = {"joints": [2, 3]}
    if bound is not None:
        columns = bound.transpose(0, 2, 1).reshape(2, 16).astype("<f4")
        skin["inverseBindMatrices"] = add(columns, 5126, "MAT4")
    plain = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {"name": "Stalk", "mesh": 0, "skin": 0, "translation": [5, 6, 7]},
            {"name": "Frame", "children": [2], "translation": [1, 2, 3], "rotation": LEAN.as_quat().tolist(),
             "scale": [1, 1.5, 0.5]},
            {"name": "Low", "children": [3], "translation": [0, 0.25, 0]},
            {"name": "High", "translation": [0.1, 0.75, 0]},
        ],
        "meshes": [{"name": "Stalk", "primitives": [primitive]}],
        "skins": [skin],
    }  # fmt: skip
    return packing.glb(plain)


def placed(translation, turn, scale):
    """The matrix of a place, a turn and a size."""
    whole = np.eye(4)
    whole[:3, :3] = turn.as_matrix() @ np.diag(scale)
    whole[:3, 3] = translation
    return whole


def carried(points, low, *, bound=BOUND):
    """Where joints carry points: the sum of w J B p, with the lower joint's turn and place in its frame."""
    frame = placed([1, 2, 3], LEAN, [1, 1.5, 0.5])
    first = frame @ low
    second = first @ placed([0.1, 0.75, 0], Rotation.identity(), [1, 1, 1])
    shares = SHARES / SHARES.sum(axis=1, keepdims=True)
    whole = np.c_[points, np.ones(len(points))]
    each = [whole @ (joint @ inverse).T for joint, inverse in zip((first, second), bound, strict=True)]
    return sum(shares[:, [at]] * rows for at, rows in enumerate(each))[:, :3]


def shown(tmp_path, content, ends, **asked):
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    return opened(tmp_path, scene, ends, kind="usd", media=media, **asked)


def world(stage, frame):
    (mesh,) = meshes_of(stage)
    matrix = np.array(UsdGeom.XformCache(frame).GetLocalToWorldTransform(mesh.GetPrim()))
    own = np.array(mesh.GetPointsAttr().Get(frame), dtype=float)
    return (np.c_[own, np.ones(len(own))] @ matrix)[:, :3]


@pytest.mark.parametrize(("up", "lengths"), [("y", "metres"), ("z", "centimetres")])
def test_joints_carry_the_mesh_as_they_turn_and_go(tmp_path, up, lengths):
    ends = {"low:turn_z": (0.0, 80.0), "low:x": (0.0, 0.5), "low:scale_y": (1.0, 1.5)}
    stage, curves = shown(tmp_path, stalk(), ends, up=up, lengths=lengths)
    metre = 100.0 if lengths == "centimetres" else 1.0
    turned = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]) if up == "z" else np.eye(3)
    for frame in range(N_FRAMES):
        turn = Rotation.from_euler("z", curves["turn_z"][frame], degrees=True)
        low = placed([curves["x"][frame], 0.25, 0], turn, [1, curves["scale_y"][frame], 1])
        wanted = carried(POINTS, low) @ turned * metre
        np.testing.assert_allclose(world(stage, frame), wanted, atol=2e-3 * metre)  # sizes of half precision
    still = placed([0, 0.25, 0], Rotation.identity(), [1, 1, 1])
    assert np.abs(world(stage, 12) - carried(POINTS, still) @ turned * metre).max() > 0.3 * metre


def test_without_sizes_that_move_every_point_is_exact(tmp_path):
    stage, curves = shown(tmp_path, stalk(), {"low:turn_x": (0.0, 80.0)})
    for frame in range(N_FRAMES):
        turn = Rotation.from_euler("x", curves["turn_x"][frame], degrees=True)
        wanted = carried(POINTS, placed([0, 0.25, 0], turn, [1, 1, 1]))
        np.testing.assert_allclose(world(stage, frame), wanted, atol=2e-5)


def test_a_joint_without_a_bound_place_was_bound_at_nothing(tmp_path):
    stage, _ = shown(tmp_path, stalk(bound=None), {"stalk:x": (0.0, 9.0)})
    low = placed([0, 0.25, 0], Rotation.identity(), [1, 1, 1])
    wanted = carried(POINTS, low, bound=np.stack([np.eye(4)] * 2))
    np.testing.assert_allclose(world(stage, 12), wanted, atol=2e-5)


def test_what_joints_carry_takes_its_shapes_too(tmp_path):
    ends = {"low:turn_z": (0.0, 80.0), "stalk:shape_0": (0.0, 0.75)}
    stage, curves = shown(tmp_path, stalk(morphs=True), ends)
    for frame in (0, 7, 12):
        turn = Rotation.from_euler("z", curves["turn_z"][frame], degrees=True)
        shaped = POINTS + curves["shape_0"][frame] * MOVES
        wanted = carried(shaped, placed([0, 0.25, 0], turn, [1, 1, 1]))
        np.testing.assert_allclose(world(stage, frame), wanted, atol=2e-5)


@KINDS
@pytest.mark.parametrize("wrong", [{"bound": BOUND * [[[0], [1], [1], [1]]]}, {"carriers": CARRIERS * 2}])
def test_a_skin_that_cannot_be_used_leaves_the_mesh_where_its_node_is(tmp_path, kind, wrong):
    content = stalk(**wrong)
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    stage, _ = opened(tmp_path, scene, {"low:turn_z": (0.0, 80.0)}, kind=kind, media=media)
    assert not any(prim.IsA(UsdSkel.Skeleton) for prim in stage.Traverse())
    np.testing.assert_allclose(world(stage, 5), POINTS + np.array([5, 6, 7]), atol=1e-5)
