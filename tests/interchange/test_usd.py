"""USD as OpenUSD's own library reads it: the stage is valid, and every frame is what was baked."""

import numpy as np
import pytest
from pxr import Gf, Usd, UsdGeom, UsdLux, UsdShade, UsdValidation
from scipy.spatial.transform import Rotation

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import to_linear
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.build import build
from fern_tide.demo.bench_scene import potting_bench

N_FRAMES = 48
RATE = FrameRate.parse("24000/1001")
LIFT = 0.5 - 0.5 * np.cos(np.arange(N_FRAMES) / 5.0)


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
