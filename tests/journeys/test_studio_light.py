"""The light that a model without one is seen in: a white one keeps its shape."""

import base64
import io

import numpy as np
import pytest
from PIL import Image
from tests.gltf import glb
from tests.journeys.conftest import wait

SEEN = """async () => {
  const { ProofStage } = await script("proof_stage");
  const scope = new AbortController();
  const stage = await new ProofStage({ width: 480, height: 270 }, scope.signal).load();
  await stage.picture(await stage.sheet([0]), 0);
  scope.abort();
  return stage.canvas.toDataURL().split(",")[1];
}"""


def ball() -> bytes:
    """A GLB of a white ball of radius 1, without a light or a camera."""
    down, round_ = np.meshgrid(np.linspace(0, np.pi, 24), np.linspace(0, 2 * np.pi, 48), indexing="ij")
    points = np.stack([np.sin(down) * np.cos(round_), np.cos(down), np.sin(down) * np.sin(round_)], -1)
    points = points.reshape(-1, 3).astype("<f4")
    corners = [(at, at + 1, at + 48, at + 1, at + 49, at + 48) for at in range(23 * 48 - 1) if at % 48 < 47]
    pieces = [points.tobytes(), points.tobytes(), np.array(corners, "<u2").tobytes()]  # where, normals, triangles
    views = [
        {"buffer": 0, "byteOffset": sum(map(len, pieces[:n])), "byteLength": len(one)} for n, one in enumerate(pieces)
    ]
    vectors = {"componentType": 5126, "count": len(points), "type": "VEC3"}
    material = {"pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 1], "metallicFactor": 0, "roughnessFactor": 0.8}}
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "ball"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 1}, "indices": 2, "material": 0}]}],
        "materials": [material],
        "accessors": [
            {"bufferView": 0, **vectors, "min": [-1, -1, -1], "max": [1, 1, 1]},
            {"bufferView": 1, **vectors},
            {"bufferView": 2, "componentType": 5123, "count": 6 * len(corners), "type": "SCALAR"},
        ],
        "bufferViews": views,
        "buffers": [{"byteLength": sum(map(len, pieces))}],
    }
    return glb(document, b"".join(pieces))


@pytest.fixture
def room(page):
    page.expect_console("GPU stall")
    page.goto("/")
    page.set_input_files("#file", [{"name": "ball.glb", "mimeType": "model/gltf-binary", "buffer": ball()}])
    page.wait_for_url("**/stage")
    page.wait_for_selector("#stage canvas")
    page.click("[data-select='ball']")
    wait(page, "document.querySelector('#part-name')?.value === 'ball'")
    page.click("#frame-part")
    return page


def lights_of(picture: bytes) -> np.ndarray:
    """How light each place of the ball is, 0 to 255: all about it is darker."""
    light = np.asarray(Image.open(io.BytesIO(picture)).convert("RGB"), dtype=float) @ [0.2126, 0.7152, 0.0722]
    return light[light > 80]


def test_a_white_model_without_a_light_is_not_flat(room):
    pictures = [base64.b64decode(room.evaluate(SEEN))]
    for draft in ("true", "false"):
        if room.get_attribute("#draft", "aria-pressed") != draft:
            room.click("#draft")
        room.wait_for_timeout(600)
        pictures.append(room.locator("#stage").screenshot())
    for picture in pictures:
        lights = lights_of(picture)
        low, middle, high = np.percentile(lights, (5, 50, 99))
        assert (lights > 254).mean() < 0.1 and low + 40 < middle < 245 and high > 225, (low, middle, high)
