"""Several models on one stage, and models that move as one, handed off: what other programs find in the file."""

import json

import numpy as np
import pytest
from tests.core.formats.hand_offs import FRAMES, RATE, curves_of
from tests.gltf import GLB
from tests.interchange.test_other_programs import NODE, SPEC, TWENTY, node
from tests.interchange.test_shaped_models import stems

from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.gathering import gathered
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Scene, SceneFile

CONTENTS = {"fern": GLB, "stems": stems()[0], "again": GLB}


def stage():
    """A fern, two stems, and the fern once more."""
    ids, files, parts = Ids(), [], []
    for place, (name, content) in enumerate(CONTENTS.items()):
        files.append(SceneFile(id=name, name=f"{name}.glb", media=str(place) * 64, kind="gltf"))
        parts += parts_of(read_gltf(content).json, files[-1], ids=ids)
    return Scene(name="s", kind="3d", files=tuple(files), parts=tuple(parts))


MEDIA = SceneMedia(gltfs={str(at) * 64: read_gltf(content) for at, content in enumerate(CONTENTS.values())})


def handed(scene, *ends):
    return HandOff("Several", scene, curves_of(scene, *ends), RATE, FRAMES, MEDIA)


ENDS = (
    ("frond:shape_0", 0, 1),
    ("frond-2:shape_0", 1, 0),
    ("leaf-green-2:emission_strength", 1, 3),
    ("glow-4:intensity", 1, 9),
    ("again:turn_y", 0, 60),
    ("again:x", 0, 2),
    ("both:x", 1, 4),
)


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    """The file, with what moves: parts of both ferns, the second as a whole, pot and lens of the first as one."""
    scene = gathered(stage(), "both", ["pot", "lens"], name="Both", anchor=Anchor())
    hand_off = handed(scene, *ENDS)
    made = write(hand_off, format=SPEC)
    file = tmp_path_factory.mktemp("several") / "several.glb"
    file.write_bytes(made.content)
    return hand_off, made, file


def test_all_is_in_it_and_read_back(written):
    _, made, file = written
    assert made.n_curves == len(ENDS) and made.error < 1e-6
    (report,) = node(NODE / "validate.cjs", file)
    assert report["messages"] == []
    plain = read_gltf(made.content).json
    counts = [read_gltf(content).json for content in CONTENTS.values()]
    for name, more in (("nodes", 2), ("meshes", 0), ("materials", 0), ("cameras", 0), ("animations", 1)):
        assert len(plain.get(name, [])) == sum(len(one.get(name, [])) for one in counts) + more, name


def test_three_js_finds_each_where_it_was_baked(written):
    hand_off, made, file = written
    names = [item["name"] for item in read_gltf(made.content).json["nodes"]]
    wanted = {
        "frond:shape_0": ["node", names.index("Frond"), "morphTargetInfluences.0"],
        "frond-2:shape_0": ["node", names.index("Frond 2"), "morphTargetInfluences.0"],
        "leaf-green-2:emission_strength": ["material", 1, "emissiveIntensity"],
        "glow-4:intensity": ["light", 1, "intensity"],
        "again:x": ["node", names.index("Pot 2"), "parent.position.x"],
        "both:x": ["node", names.index("Pot"), "parent.position.x"],
        "turn": ["node", names.index("Lens 2"), "parent.quaternion"],
    }
    seconds = [float(RATE.seconds(int(frame))) for frame in TWENTY]
    sampled = {
        name: np.array(rows)
        for name, rows in node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(wanted)).items()
    }
    curve = {str(curve.target): curve.values for curve in hand_off.curves}
    for name in set(wanted) & set(curve):
        np.testing.assert_allclose(sampled[name], curve[name][TWENTY], atol=1e-5 * np.ptp(curve[name]), err_msg=name)
    turns = np.degrees(2 * np.arctan2(sampled["turn"][:, 1], sampled["turn"][:, 3]))
    np.testing.assert_allclose(turns, curve["again:turn_y"][TWENTY], atol=1e-3)
    assert len(set(wanted) & set(curve)) == 6


@pytest.mark.parametrize("kind", ["usd", "usdz"])
def test_usd_carries_them_too(kind):
    scene = gathered(stage(), "both", ["pot", "lens"], name="Both", anchor=Anchor())
    ends = [end for end in ENDS if not end[0].startswith("leaf")]
    made = write(handed(scene, *ends), format=FORMATS[kind])
    assert made.n_curves == len(ends) and made.error < 1e-5


def test_motion_of_one_runs_and_that_of_another_does_not():
    scene = stage()
    files = tuple(file.but(plays=file.id != "fern") for file in scene.files)
    plain = read_gltf(write(handed(scene.but(files=files), ("frond:x", 0, 1)), format=SPEC).content).json
    first = next(item for item in plain["animations"] if item["name"] == "Nods")
    assert [item["name"] for item in plain["animations"]].count("Nods") == 1
    assert plain["nodes"][first["channels"][0]["target"]["node"]]["name"] == "Pot 2"
