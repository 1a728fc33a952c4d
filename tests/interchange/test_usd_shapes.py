"""Shapes in USD, as OpenUSD's own skinning lays them: every point of every frame is where the shape itself has it."""

import numpy as np
import pytest
from pxr import Usd, UsdGeom, UsdSkel, UsdValidation
from tests.core.scene.test_sparse import MOVES, sparse
from tests.gltf import document, glb, model
from tests.interchange.test_shaped_models import scene_of, stems

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.shaped import shapes_of_mesh
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.shaping import seen_of

FILE = SceneFile(id="f", name="stem.gltf", media="3" * 64, kind="gltf")
N_FRAMES = 24
RATE = FrameRate.parse("24")
LIFT = 0.5 - 0.5 * np.cos(np.arange(N_FRAMES) / 4.0)
KINDS = pytest.mark.parametrize("kind", ["usd", "usdz"])


def opened(tmp_path, scene, ends, *, kind, media=None, error=1e-5, **profile):
    """Bake and write, and give the stage as OpenUSD has it, its shapes laid on its points, and the curves."""
    drives = [{"target": target, "rest": rest, "full": full} for target, (rest, full) in ends.items()]
    marks = {"low": 0.0, "high": 1.0}
    mapping = Mapping.model_validate({"id": "m", "name": "M", "envelope": "e", "marks": marks, "drives": drives})
    curves = bake(scene, [mapping], lifts={"m": LIFT}, n_frames=N_FRAMES)
    hand_off = HandOff("Shapes", scene, curves, RATE, N_FRAMES, media or SceneMedia())
    written = write(hand_off, format=FORMATS[kind], params=FORMATS[kind].params(**profile))
    assert written.error < error and written.n_curves == len(ends)
    path = tmp_path / f"shapes{written.format.extension}"
    path.write_bytes(written.content)
    stage = Usd.Stage.Open(str(path))
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    wrong = UsdValidation.ValidationErrorType.Error
    assert [issue.GetMessage() for issue in context.Validate(stage) if issue.GetType() == wrong] == []
    if kind == "usd":
        baked = UsdSkel.BakeSkinning(stage.Traverse())
        assert baked
    return stage, {curve.target.property: curve.values for curve in curves}


def meshes_of(stage):
    return [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]


def points_at(mesh, frame):
    return np.array(mesh.GetPointsAttr().Get(frame), dtype=float)


def test_a_sound_graphic_stands_as_its_levels_say(tmp_path):
    shape = {"id": "sound_graphic_3d", "params": {"form": "bars", "points": 5}}
    part = Part.model_validate({"id": "bars", "name": "Bars", "shape": shape})
    levels = [item.id for item in part.properties if item.id.startswith("level")]
    assert len(levels) == 5
    ends = {f"bars:{name}": (0.1 * place, 1.0) for place, name in enumerate(levels)}
    stage, curves = opened(tmp_path, Scene(name="s", kind="3d", parts=(part,)), ends, kind="usd")
    (mesh,) = meshes_of(stage)
    still, moves = part.kind.solid(part.shape.params).positions, part.kind.morphs(part.shape.params)
    for frame in range(N_FRAMES):
        wanted = still + sum(curves[name][frame] * move for name, move in zip(levels, moves, strict=True))
        np.testing.assert_allclose(points_at(mesh, frame), wanted, atol=1e-5)
    assert np.abs(points_at(mesh, 0) - points_at(mesh, 12)).max() > 0.1


@pytest.mark.parametrize(("up", "lengths", "metre"), [("y", "metres", 1.0), ("z", "centimetres", 100.0)])
def test_a_model_that_shapers_move_bends_as_the_exact_surface_does(tmp_path, up, lengths, metre):
    content, points, _ = stems()
    scene, media = scene_of(content, {"id": "bend", "params": {"most": 60}})
    ends = {"stem:shaper1_amount": (0.0, 55.0)}
    stage, curves = opened(tmp_path, scene, ends, kind="usd", media=media, up=up, lengths=lengths)
    shaped = [mesh for mesh in meshes_of(stage) if mesh.GetPrim().HasAPI(UsdSkel.BindingAPI)]
    assert 0 < len(shaped) < len(meshes_of(stage)), "its twin has none"
    mesh, (bend,) = Mesh(points, np.zeros_like(points), np.zeros((0, 3), dtype=np.uint32)), scene.part("stem").shapers
    for frame in range(N_FRAMES):
        whole = np.concatenate([points_at(one, frame) for one in shaped]) / metre
        exact = bend.shaper.spec.move(mesh, bend.shaper.params, amount=curves["shaper1_amount"][frame])
        assert np.abs(whole - exact).max() < 0.005 * np.ptp(points, axis=0).max()
    gltf, shares = media.gltfs[scene.files[0].media], seen_of((bend,), curves)[:, 12]
    stalk, _ = shapes_of_mesh(gltf, gltf.json["meshes"][0], (bend,))
    wanted = np.tile([0.0, 0.0, 1.0], (len(stalk[0][1]), 1))
    for share, (_, turned) in zip(shares, stalk, strict=True):
        wanted += share * turned
    facing = np.array(shaped[0].GetNormalsAttr().Get(12), dtype=float)
    np.testing.assert_allclose(facing, wanted / np.linalg.norm(wanted, axis=1)[:, None], atol=1e-5)
    assert np.abs(facing - [0.0, 0.0, 1.0]).max() > 0.1


def frond_of(binary):
    """The points of the frond, and what its two morph targets add to them."""
    return [np.frombuffer(binary, "<f4", 12, 48 * at).reshape(4, 3).astype(np.float64) for at in range(3)]


def weighing(plain, weights, *, where):
    """Give the model with its morph targets' weights standing at the node, or at its mesh."""
    owner = plain["nodes"][1] if where == "node" else plain["meshes"][0]
    plain["nodes"][1].pop("weights", None)
    owner["weights"] = weights
    return plain


@pytest.mark.parametrize("where", ["node", "mesh"])
def test_morph_targets_of_a_model_move_and_those_that_stand_still_stay(tmp_path, where):
    plain, binary = document()
    content = glb(weighing(plain, [0.25, 0.5], where=where), binary)
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    stage, curves = opened(tmp_path, scene, {"frond:shape_0": (0.0, 0.75)}, kind="usd", media=media)
    mesh = next(one for one in meshes_of(stage) if one.GetPrim().HasAPI(UsdSkel.BindingAPI))
    base, first, second = frond_of(binary)
    for frame in range(N_FRAMES):
        wanted = base + curves["shape_0"][frame] * first + 0.5 * second
        np.testing.assert_allclose(points_at(mesh, frame), wanted, atol=1e-6)


@pytest.mark.parametrize(("weights", "bound"), [([0.25, 0.5], 1), ([0.0, 0.0], 0)])
def test_targets_that_stand_still_off_zero_go_along_and_those_at_zero_stay_behind(tmp_path, weights, bound):
    plain, binary = document()
    content = glb(weighing(plain, weights, where="mesh"), binary)
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    stage, _ = opened(tmp_path, scene, {"pot:x": (0.0, 1.0)}, kind="usd", media=media)
    shaped = [mesh for mesh in meshes_of(stage) if mesh.GetPrim().HasAPI(UsdSkel.BindingAPI)]
    assert len(shaped) == bound and len(meshes_of(stage)) > 0
    base, first, second = frond_of(binary)
    for mesh in shaped:
        np.testing.assert_allclose(points_at(mesh, 3), base + 0.25 * first + 0.5 * second, atol=1e-6)


@KINDS
@pytest.mark.parametrize("mode", [0, 1])
def test_weights_of_what_is_no_triangles_go_along_as_numbers(tmp_path, kind, mode):
    plain, binary = document()
    plain["meshes"][0]["primitives"][0]["mode"] = mode
    content = glb(plain, binary)
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    stage, curves = opened(tmp_path, scene, {"frond:shape_1": (0.0, 0.75)}, kind=kind, media=media)
    (motion,) = (UsdSkel.Animation(prim) for prim in stage.Traverse() if prim.IsA(UsdSkel.Animation))
    shares = [motion.GetBlendShapeWeightsAttr().Get(frame)[1] for frame in range(N_FRAMES)]
    np.testing.assert_allclose(shares, curves["shape_1"], atol=1e-6)


def test_a_target_that_says_only_what_changes_is_read(tmp_path):
    content = glb(*sparse())
    scene, media = model(FILE, content), SceneMedia(gltfs={FILE.media: read_gltf(content)})
    stage, curves = opened(tmp_path, scene, {"frond:shape_0": (0.0, 0.75)}, kind="usd", media=media)
    mesh = next(one for one in meshes_of(stage) if one.GetPrim().HasAPI(UsdSkel.BindingAPI))
    wanted = frond_of(document()[1])[0]
    wanted[[1, 3]] += curves["shape_0"][12] * MOVES
    np.testing.assert_allclose(points_at(mesh, 12), wanted, atol=1e-6)
