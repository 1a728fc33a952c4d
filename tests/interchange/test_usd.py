"""USD as OpenUSD's own library reads it: the stage is valid, and every frame is what was baked."""

import numpy as np
import pytest
from pxr import Gf, Usd, UsdGeom, UsdLux, UsdShade, UsdValidation
from scipy.spatial.transform import Rotation
from tests.gltf import document, glb, model

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import to_linear
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import SceneFile
from fern_tide.demo.bench_scene import potting_bench

FILE = SceneFile(id="f", name="stem.gltf", media="3" * 64, kind="gltf")
N_FRAMES = 48
RATE = FrameRate.parse("24000/1001")
LIFT = 0.5 - 0.5 * np.cos(np.arange(N_FRAMES) / 5.0)


WITH_MATRIX = b"""{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"name":"Stem","mesh":0,
"matrix":[0,2,0,0,-2,0,0,0,0,0,2,0,1,2,3,1]}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,"uri":
"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}"""


def hand_off():
    scene = potting_bench()
    drives = []
    for part in scene.parts:
        for item in part.properties:
            if item.shows and FORMATS["usd"].carries(part, item.id, FORMATS["usd"].params()):
                rest, full = item.suggest_ends(part.own(item.id))
                drives.append({"target": f"{part.id}:{item.id}", "rest": rest, "full": full})
    mapping = Mapping.model_validate(
        {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0.1, "high": 0.9}, "drives": drives}
    )
    return HandOff("Bench & <all>", scene, bake(scene, [mapping], lifts={"m": LIFT}, n_frames=N_FRAMES), RATE, N_FRAMES)


@pytest.fixture(scope="module")
def shown():
    return hand_off()


@pytest.fixture(scope="module", params=["usd", "usdz"])
def stage(request, shown, tmp_path_factory):
    written = write(shown, format=FORMATS[request.param])
    assert written.error < 1e-5
    path = tmp_path_factory.mktemp("usd") / f"scene{written.format.extension}"
    path.write_bytes(written.content)
    return path


def test_it_is_valid(stage):
    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    issues = context.Validate(Usd.Stage.Open(str(stage)))
    wrong = UsdValidation.ValidationErrorType.Error
    assert [issue.GetMessage() for issue in issues if issue.GetType() == wrong] == []
    opened = Usd.Stage.Open(str(stage))
    assert opened.GetDefaultPrim().GetName() == "Scene" and UsdGeom.GetStageUpAxis(opened) == "Y"
    assert opened.GetTimeCodesPerSecond() == pytest.approx(24000 / 1001) and opened.GetEndTimeCode() == N_FRAMES - 1
    assert UsdGeom.GetStageMetersPerUnit(opened) == 1.0


def test_every_part_stands_where_it_was_baked(stage, shown):
    opened = Usd.Stage.Open(str(stage))
    prims = {prim.GetDisplayName(): prim for prim in opened.Traverse() if prim.GetTypeName() == "Xform"}
    checked = 0
    for part in shown.scene.parts:
        prim, curves = prims.get(part.name), shown.by_part.get(part.id, {})
        if (
            prim is None
            or not {"turn_x", "x", "scale_x"} <= curves.keys()
            or any(part.anchor.model_dump().get(a) for a in "xyz")
        ):
            continue
        for frame in (0, 11, 30, N_FRAMES - 1):
            matrix = np.array(UsdGeom.Xformable(prim).GetLocalTransformation(frame)).T
            turn = np.array([curves[f"turn_{axis}"].values[frame] for axis in "xyz"])
            scale = np.array([curves[f"scale_{axis}"].values[frame] for axis in "xyz"])
            x, y, z = (Rotation.from_euler(axis, angle, degrees=True) for axis, angle in zip("xyz", turn, strict=True))
            np.testing.assert_allclose(matrix[:3, :3], (x * y * z).as_matrix() @ np.diag(scale), atol=1e-5)
            np.testing.assert_allclose(matrix[:3, 3], [curves[axis].values[frame] for axis in "xyz"], atol=1e-5)
        checked += 1
    assert checked > 2


def test_meshes_surfaces_lights_and_lenses(stage, shown):
    opened = Usd.Stage.Open(str(stage))
    built = build(shown.scene, files={}, moving=[curve.target for curve in shown.curves])
    meshes = [prim for prim in opened.Traverse() if prim.IsA(UsdGeom.Mesh)]
    primitives = sum(
        len(built.gltf.json["meshes"][node["mesh"]]["primitives"])
        for node in built.gltf.json["nodes"]
        if "mesh" in node
    )
    assert len(meshes) == primitives
    for prim in meshes:
        mesh = UsdGeom.Mesh(prim)
        assert UsdGeom.Mesh.ValidateTopology(
            mesh.GetFaceVertexIndicesAttr().Get(), mesh.GetFaceVertexCountsAttr().Get(), len(mesh.GetPointsAttr().Get())
        )[0]
        material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        assert material and material.ComputeSurfaceSource()[0].GetIdAttr().Get() == "UsdPreviewSurface"
    lights = [prim for prim in opened.Traverse() if prim.HasAPI(UsdLux.LightAPI)]
    cameras = [prim for prim in opened.Traverse() if prim.IsA(UsdGeom.Camera)]
    assert lights and cameras
    camera_part = next(part for part in shown.scene.parts if part.kind.films)
    angles = shown.by_part[camera_part.id]["field_of_view"].values
    for frame in (0, 20):
        lens = UsdGeom.Camera(cameras[0]).GetCamera(frame)
        assert lens.GetFieldOfView(Gf.Camera.FOVVertical) == pytest.approx(angles[frame], abs=1e-4)


def test_a_colour_is_in_linear_light(stage, shown):
    opened = Usd.Stage.Open(str(stage))
    colours = [
        (curve.values, curve.target.part)
        for curve in shown.curves
        if curve.target.property == "colour" and curve.values.ndim > 1
    ]
    inputs = [prim.GetAttribute("inputs:diffuseColor") for prim in opened.Traverse() if prim.GetTypeName() == "Shader"]
    moving = [one for one in inputs if one.GetNumTimeSamples() > 1]
    for frame in (0, 25):
        shown_there = [np.array(one.Get(frame)) for one in moving]
        for values, part in colours:
            if shown.scene.part(part).kind.emits:
                continue
            wanted = to_linear(values[:, frame])
            assert min(np.abs(one - wanted).max() for one in shown_there) < 1e-5, part


def world_points(opened, frame):
    """Where every point of every mesh is in the stage, by the mesh's path."""
    cache, points = UsdGeom.XformCache(frame), {}
    for prim in opened.Traverse():
        if prim.IsA(UsdGeom.Mesh):
            own = np.array(UsdGeom.Mesh(prim).GetPointsAttr().Get(), dtype=float)
            matrix = np.array(cache.GetLocalToWorldTransform(prim))
            points[str(prim.GetPath())] = np.c_[own, np.ones(len(own))] @ matrix[:, :3]
    return points


def opened_as(hand_off, path, kind="usd", **profile):
    written = write(hand_off, format=FORMATS[kind], params=FORMATS[kind].params(**profile))
    path.write_bytes(written.content)
    return Usd.Stage.Open(str(path)), written.error


@pytest.mark.parametrize("kind", ["usd", "usdz"])
@pytest.mark.parametrize(("up", "lengths"), [("z", "metres"), ("y", "centimetres"), ("z", "centimetres")])
def test_a_profile_turns_the_whole_stage_and_counts_it_in_other_lengths(shown, tmp_path, kind, up, lengths):
    plain, _ = opened_as(shown, tmp_path / "plain.usda")
    stage, error = opened_as(shown, tmp_path / f"other{FORMATS[kind].extension}", kind, up=up, lengths=lengths)
    assert error < 1e-5
    metre = 100.0 if lengths == "centimetres" else 1.0
    assert UsdGeom.GetStageUpAxis(stage) == up.upper() and UsdGeom.GetStageMetersPerUnit(stage) == 1 / metre
    turned = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]) if up == "z" else np.eye(3)  # (x, y, z) to (x, -z, y)
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    wrong = UsdValidation.ValidationErrorType.Error
    assert [issue.GetMessage() for issue in context.Validate(stage) if issue.GetType() == wrong] == []
    for frame in (0, 17, N_FRAMES - 1):
        here, there = world_points(plain, frame), world_points(stage, frame)
        assert here.keys() == there.keys() and len(here) > 10
        for path, points in here.items():
            np.testing.assert_allclose(there[path], points @ turned * metre, atol=2e-5 * metre, err_msg=path)
        cameras = [next(one for one in each.Traverse() if one.IsA(UsdGeom.Camera)) for each in (plain, stage)]
        one, other = (UsdGeom.Camera(camera).GetCamera(frame) for camera in cameras)
        for look, long in (("GetPosition", metre), ("ComputeViewDirection", 1.0), ("ComputeUpVector", 1.0)):
            wanted = np.array(getattr(one.frustum, look)()) @ turned * long
            np.testing.assert_allclose(getattr(other.frustum, look)(), wanted, atol=1e-5 * metre)
        assert other.GetFieldOfView(Gf.Camera.FOVVertical) == pytest.approx(one.GetFieldOfView(Gf.Camera.FOVVertical))
        for end in ("min", "max"):
            assert getattr(other.clippingRange, end) == pytest.approx(getattr(one.clippingRange, end) * metre)
    radii = [
        [UsdLux.SphereLight(one).GetRadiusAttr().Get() for one in each.Traverse() if one.IsA(UsdLux.SphereLight)]
        for each in (plain, stage)
    ]
    assert radii[0] and radii[1] == pytest.approx([radius * metre for radius in radii[0]])


def test_a_node_with_a_matrix_goes_along(tmp_path):
    scene = model(FILE, WITH_MATRIX)
    media = SceneMedia(gltfs={FILE.media: read_gltf(WITH_MATRIX)})
    stage, _ = opened_as(
        HandOff("Stem", scene, (), RATE, 2, media), tmp_path / "stem.usda", up="z", lengths="centimetres"
    )
    (points,) = world_points(stage, 0).values()
    # x' = -2 y + 1, y' = 2 x + 2, z' = 2 z + 3; then (x, y, z) to (x, -z, y), in centimetres
    np.testing.assert_allclose(points, [[100, -300, 200], [100, -300, 400], [-100, -300, 200]], atol=1e-4)


@pytest.mark.parametrize("kind", ["usd", "usdz"])
def test_what_moves_outside_the_scene_goes_along_unseen(tmp_path, kind):
    plain, binary = document()
    plain["nodes"].append({"name": "Loose", "mesh": 0})
    plain["extensions"]["KHR_lights_punctual"]["lights"].append({"type": "point", "name": "Idle"})
    plain["cameras"].append({"type": "perspective", "name": "Spare", "perspective": {"yfov": 0.7, "znear": 0.1}})
    content = glb(plain, binary)
    scene, format_ = model(FILE, content), FORMATS[kind]
    drives = [
        {"target": f"{part.id}:{item.id}", "rest": ends[0], "full": ends[1]}
        for part in scene.parts
        for item in part.properties
        if format_.carries(part, item.id, format_.params())
        for ends in [item.suggest_ends(part.own(item.id))]
    ]
    mapping = {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0.1, "high": 0.9}, "drives": drives}
    curves = bake(scene, [Mapping.model_validate(mapping)], lifts={"m": LIFT}, n_frames=N_FRAMES)
    media = SceneMedia(gltfs={FILE.media: read_gltf(content)})
    path = tmp_path / f"odd{format_.extension}"
    stage, error = opened_as(HandOff("Odd", scene, curves, RATE, N_FRAMES, media), path, kind)
    assert error < 1e-5
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    wrong = UsdValidation.ValidationErrorType.Error
    assert [issue.GetMessage() for issue in context.Validate(stage) if issue.GetType() == wrong] == []
    seen = {
        prim.GetDisplayName(): UsdGeom.Imageable(prim).ComputeVisibility()
        for prim in stage.Traverse()
        if prim.IsA(UsdGeom.Xform)
    }
    assert seen["Loose"] == "invisible" and seen["Frond"] == "inherited"
