"""Textures in USDZ: what OpenUSD reads, worked out by the rules of UsdPreviewSurface, is what glTF's rules give."""

import io
import zipfile

import numpy as np
import pytest
from PIL import Image
from pxr import Usd, UsdGeom, UsdShade, UsdValidation
from tests.gltf import document, glb, model

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import to_linear
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import SceneFile

N_FRAMES = 24
USDZ, FILE = FORMATS["usdz"], SceneFile(id="f", name="pot.glb", media="5" * 64, kind="gltf")
RNG = np.random.default_rng(5)
PIXELS = {name: RNG.integers(0, 256, (5, 7, 4 if name == "base" else 3), dtype=np.uint8) for name in ("base", "webp")}
PIXELS["normal"] = RNG.integers(0, 256, (4, 4, 3), dtype=np.uint8)
FORMAT_OF = {"base": "PNG", "webp": "WEBP", "normal": "PNG"}
COLOURS = {"colour": [0.5, 0.9, 0.2], "emission": [0.1, 1.0, 0.4]}
PLACES = {
    "base": "pbrMetallicRoughness/baseColorTexture",
    "rough": "pbrMetallicRoughness/metallicRoughnessTexture",
    "normal": "normalTexture",
    "occlusion": "occlusionTexture",
    "emissive": "emissiveTexture",
}
OF = {"base": "base", "rough": "normal", "normal": "normal", "occlusion": "normal", "emissive": "webp"}


def turned(offset, rotation, scale):
    return {"KHR_texture_transform": {"offset": offset, "rotation": rotation, "scale": scale}}


def textured(**changes):
    """Give a model all of whose textures are there, in three pictures, one of them a WebP; materials may be changed."""
    plain, binary = document()
    plain["images"], plain["extensionsUsed"] = [], [*plain["extensionsUsed"], "EXT_texture_webp"]
    for name, pixels in PIXELS.items():
        out = io.BytesIO()
        Image.fromarray(pixels).save(out, FORMAT_OF[name], **({"lossless": True} if name == "webp" else {}))
        plain["images"].append(
            {"bufferView": len(plain["bufferViews"]), "mimeType": f"image/{FORMAT_OF[name].lower()}"}
        )
        plain["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(out.getvalue())})
        binary += out.getvalue() + b"\0" * (-len(out.getvalue()) % 4)
    plain["buffers"][0]["byteLength"] = len(binary)
    plain["samplers"] = [{"wrapS": 33071, "wrapT": 33648}]
    plain["textures"] = [
        {"source": 0, "sampler": 0},
        {"extensions": {"EXT_texture_webp": {"source": 1}}},
        {"source": 2},
    ]
    corners = plain["meshes"][0]["primitives"][0]["attributes"]
    corners["TEXCOORD_1"] = corners["TEXCOORD_0"]
    plain["materials"][0] |= {
        "pbrMetallicRoughness": {
            "baseColorFactor": [*COLOURS["colour"], 0.8],
            "metallicFactor": 0.7,
            "roughnessFactor": 0.4,
            "baseColorTexture": {"index": 0, "extensions": turned([0.1, 0.2], 0.6, [1, 2])},
            "metallicRoughnessTexture": {"index": 2, "texCoord": 1},
        },
        "normalTexture": {"index": 2, "scale": 0.6, "extensions": turned([0, 0.3], 0, [2, 1])},
        "occlusionTexture": {"index": 2, "strength": 0.25},
        "emissiveTexture": {"index": 1},
        "emissiveFactor": COLOURS["emission"],
    } | changes
    return glb(plain, binary)


def hand_off(content, *, moving):
    scene = model(FILE, content)
    drives = [
        {"target": f"{part.id}:{item.id}", "rest": ends[0], "full": ends[1]}
        for part in scene.parts
        for item in part.properties
        if item.shows and part.kind.id == "gltf_material" and USDZ.carries(part, item.id, USDZ.params())
        for ends in [item.suggest_ends(part.own(item.id))]
    ]
    plain = {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0.1, "high": 0.9}, "drives": drives}
    lift = 0.5 - 0.5 * np.cos(np.arange(N_FRAMES) / 3.0)
    curves = bake(scene, [Mapping.model_validate(plain)], lifts={"m": lift}, n_frames=N_FRAMES) if moving else ()
    media = SceneMedia(gltfs={FILE.media: read_gltf(content)})
    return HandOff("Pot", scene, curves, FrameRate.parse("30"), N_FRAMES, media)


@pytest.fixture(scope="module", params=[False, True], ids=["still", "moving"])
def package(request, tmp_path_factory):
    shown = hand_off(textured(), moving=request.param)
    written = write(shown, format=USDZ)
    assert written.error < 1e-5 and written.n_curves == (32 if request.param else 0)
    path = tmp_path_factory.mktemp("usdz") / "pot.usdz"
    path.write_bytes(written.content)
    return shown, path


def test_it_is_valid_and_has_its_pictures(package):
    _, path = package
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    issues = context.Validate(Usd.Stage.Open(str(path)))
    wrong = UsdValidation.ValidationErrorType.Error
    assert [issue.GetMessage() for issue in issues if issue.GetType() == wrong] == []
    with zipfile.ZipFile(path) as archive:
        assert archive.namelist()[0] == "scene.usda" and len(archive.namelist()) == 4
        for entry in archive.infolist():
            archive.fp.seek(entry.header_offset + 26)
            name, extra = np.frombuffer(archive.fp.read(4), "<u2").tolist()
            assert (entry.header_offset + 30 + name + extra) % 64 == 0 and entry.compress_type == zipfile.ZIP_STORED


def own(shown, name, frame):
    """A number of the material in a frame."""
    part = next(part for part in shown.scene.parts if part.kind.id == "gltf_material")
    curve = shown.by_part.get(part.id, {}).get(name)
    return part.own(name) if curve is None else curve.values[..., frame]


def factor(shown, name, frame):
    """One of the material's colours in a frame, in linear light; one that stands is as the file has it."""
    value = own(shown, name, frame)
    return COLOURS[name] if isinstance(value, str) else to_linear(value)


def by_gltf(shown, key, uv, frame):
    """What a texture gives at texture coordinates, by the rules of glTF 2.0, before its factors."""
    turn = np.radians(own(shown, f"{key}_turn", frame))
    u, v = uv[:, 0] * own(shown, f"{key}_wide", frame), uv[:, 1] * own(shown, f"{key}_tall", frame)
    across = np.cos(turn) * u + np.sin(turn) * v + own(shown, f"{key}_across", frame)
    down = -np.sin(turn) * u + np.cos(turn) * v + own(shown, f"{key}_down", frame)
    return looked_up(PIXELS[OF[key]], across, down, clamped=key == "base")


def looked_up(pixels, across, down, *, clamped):
    rows, columns = pixels.shape[:2]
    if clamped:  # clamped across, mirrored down
        across, down = np.clip(across, 0, 1 - 1e-9), 1 - np.abs(1 - np.mod(down, 2))
    at = (np.floor(np.mod(down, 1) * rows).astype(int), np.floor(np.mod(across, 1) * columns).astype(int))
    values = pixels[at] / 255
    return values if values.shape[1] == 4 else np.c_[values, np.ones(len(values))]


def by_usd(source, uv, frame, archive):
    """What an output gives where glTF's texture coordinates are such, by the rules of UsdPreviewSurface."""
    shader, output, _ = source.GetConnectedSource()
    texture = UsdShade.Shader(shader)

    def get(name):
        return texture.GetInput(name).Get(frame)

    st = placed(texture.GetInput("st"), uv * [1, -1] + [0, 1], frame)
    with Image.open(io.BytesIO(archive.read(get("file").path))) as picture:
        pixels = np.array(picture)
    clamped = (get("wrapS"), get("wrapT")) == ("clamp", "mirror")
    values = looked_up(pixels, st[:, 0], 1 - st[:, 1], clamped=clamped)
    if get("sourceColorSpace") == "sRGB":
        values[:, :3] = to_linear(values[:, :3].T).T
    bias = get("bias") if texture.GetInput("bias") else (0, 0, 0, 0)
    values = values * np.array(get("scale")) + np.array(bias)
    return values[:, {"r": [0], "g": [1], "b": [2], "a": [3], "rgb": [0, 1, 2]}[output]]


def placed(source, st, frame):
    shader, _, _ = source.GetConnectedSource()
    one = UsdShade.Shader(shader)
    if one.GetIdAttr().Get() == "UsdPrimvarReader_float2":
        return st
    assert one.GetIdAttr().Get() == "UsdTransform2d"
    turn = np.radians(one.GetInput("rotation").Get(frame))
    s, t = (placed(one.GetInput("in"), st, frame) * np.array(one.GetInput("scale").Get(frame))).T
    turned = np.stack([np.cos(turn) * s - np.sin(turn) * t, np.sin(turn) * s + np.cos(turn) * t], axis=1)
    return turned + np.array(one.GetInput("translation").Get(frame))


@pytest.mark.parametrize("frame", [0, 7, 23])
def test_every_texture_is_where_gltf_has_it_with_its_factors(package, frame):
    shown, path = package
    stage = Usd.Stage.Open(str(path))
    (mesh,) = (prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    assert {name for name in ("st", "st1") if UsdGeom.PrimvarsAPI(mesh).HasPrimvar(name)} == {"st", "st1"}
    material, _ = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()
    surface = material.ComputeSurfaceSource()[0]
    uv = np.random.default_rng(frame).random((400, 2))
    pixels = {key: by_gltf(shown, key, uv, frame) for key in PLACES}
    linear = {key: to_linear(pixels[key][:, :3].T).T for key in ("base", "emissive")}
    relief, shade = own(shown, "relief", frame), own(shown, "shade", frame)
    expected = {
        "diffuseColor": linear["base"] * factor(shown, "colour", frame),
        "opacity": pixels["base"][:, 3:] * own(shown, "opacity", frame),
        "roughness": pixels["rough"][:, 1:2] * own(shown, "roughness", frame),
        "metallic": pixels["rough"][:, 2:3] * own(shown, "metallic", frame),
        "normal": (2 * pixels["normal"][:, :3] - 1) * [relief, relief, 1],
        "occlusion": 1 + shade * (pixels["occlusion"][:, :1] - 1),
        "emissiveColor": 4 * linear["emissive"] * factor(shown, "emission", frame),  # its strength
    }
    with zipfile.ZipFile(path) as archive:
        for name, values in expected.items():
            actual = by_usd(surface.GetInput(name), uv, frame, archive)
            assert np.mean(np.abs(actual - values).max(axis=1) < 1e-5) > 0.99, (
                name
            )  # a texel's very edge may fall otherwise
    if not shown.curves:  # where the opacity moves, what is cut off becomes half seen through
        assert surface.GetInput("opacityThreshold").Get() == pytest.approx(0.3)


@pytest.mark.parametrize(
    "odd",
    [
        {"index": 7},
        {"index": "0"},
        {"index": 0, "texCoord": '9"; evil'},
        {"index": 0, "extensions": {"KHR_texture_transform": {"texCoord": [1]}}},
        {},
    ],
)
@pytest.mark.parametrize("moving", [False, True])
def test_what_names_no_picture_goes_without(odd, moving, tmp_path):
    written = write(hand_off(textured(emissiveTexture=odd), moving=moving), format=USDZ)
    path = tmp_path / "odd.usdz"
    path.write_bytes(written.content)
    stage = Usd.Stage.Open(str(path))
    surface = UsdShade.Shader(stage.GetPrimAtPath("/Scene/Materials/material_0/surface"))
    assert surface.GetInput("emissiveColor").HasConnectedSource() == (odd.get("index") == 0)
    assert surface.GetInput("diffuseColor").HasConnectedSource()


def test_text_alone_has_no_pictures_and_the_plain_colours():
    shown = hand_off(textured(), moving=False)
    text = write(shown, format=FORMATS["usd"]).content.decode()
    assert "UsdUVTexture" not in text and "color3f inputs:diffuseColor = (0.5, 0.9, 0.2)" in text
    assert "textures" in FORMATS["usd"].lacks and not USDZ.lacks.startswith("textures")
