"""Several models on one stage, and models that move as one, handed off: what other programs find in the file."""

import json

import numpy as np
import pytest
from tests.core.formats.hand_offs import FRAMES, RATE, curves_of
from tests.gltf import GLB, document, glb
from tests.interchange.test_other_programs import NODE, SPEC, TWENTY, node
from tests.interchange.test_shaped_models import stems

from fern_tide.core.bake.expand import Clock, expanded
from fern_tide.core.base.naming import Ids
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.document import Project
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.gathering import gathered
from fern_tide.core.scene.gltf.boxes import placed
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, Scene, SceneFile

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


def test_pieces_of_an_array_are_made_from_nodes_with_all_inside_them_and_their_own_motion(tmp_path):
    """The pot, which nods, with the frond in it: three of them, two metres apart, the frond's shape driven."""
    array = Part.model_validate(
        {
            "id": "row",
            "name": "Row",
            "parent": "fern",
            "values": {"gap": 2.0},
            "shape": {"id": "array_3d", "params": {"layout": {"id": "line", "params": {"count": 3}}}},
        }
    )
    scene = stage()
    parts = [part.but(parent="row") if part.id == "pot" else part for part in scene.parts]
    scene = scene.but(parts=(parts[0], array, *parts[1:]))
    leads = curves_of(scene, ("frond:shape_0", 0, 1))
    out, curves = expanded(scene, leads, moved={}, clock=Clock(RATE, FRAMES))
    made = write(HandOff("Row", out, curves, RATE, FRAMES, MEDIA), format=SPEC)
    file = tmp_path / "row.glb"
    file.write_bytes(made.content)
    assert node(NODE / "validate.cjs", file)[0]["messages"] == [] and made.error < 1e-6
    plain = read_gltf(made.content).json
    names = [item["name"] for item in plain["nodes"]]
    assert len(set(names)) == len(names), "some programs find things by their names"
    where, nodes = placed(read_gltf(made.content)), plain["nodes"]
    fronds = [place for place, item in enumerate(nodes) if item.get("mesh") == 0]
    assert [where.worlds[place][:3, 3].tolist() for place in fronds] == [[x, 2, 3] for x in (-1, 1, 3)]
    pots = [next(at for at, item in enumerate(nodes) if place in item.get("children", ())) for place in fronds]
    nods = next(item for item in plain["animations"] if item["name"] == "Nods")
    assert [channel["target"]["node"] for channel in nods["channels"]] == pots
    seconds = [float(RATE.seconds(int(frame))) for frame in TWENTY]
    wanted = {str(place): ["node", place, "morphTargetInfluences.0"] for place in fronds}
    for rows in node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(wanted)).values():
        np.testing.assert_allclose(rows, leads[0].values[TWENTY], atol=1e-5)


def alone(change, scene_change):
    """A fern whose file and parts were changed, written with what moves its lamp."""
    plain, binary = document()
    change(plain)
    file = SceneFile(id="fern", name="fern.glb", media="0" * 64, kind="gltf")
    gltf = read_gltf(glb(plain, binary))
    scene = scene_change(Scene(name="s", kind="3d", files=(file,), parts=parts_of(gltf.json, file, ids=Ids())))
    media = SceneMedia(gltfs={file.media: gltf})
    return write(HandOff("F", scene, curves_of(scene, ("glow:x", 0, 1)), RATE, FRAMES, media), format=SPEC).content


def nothing(plain):
    pass


def test_a_file_that_stands_elsewhere_lies_in_a_node_and_what_it_does_not_show_stays_out():
    def two_scenes(plain):
        plain["scenes"] = [{"nodes": [0, 2]}, {"nodes": [3]}]

    def elsewhere(scene):
        return scene.but(parts=(scene.parts[0].but(values={"x": 3.0}), *scene.parts[1:]))

    came = read_gltf(alone(nothing, lambda scene: scene)).json
    assert came["nodes"] == document()[0]["nodes"], "one that stands as it came has no such node"
    plain = read_gltf(alone(two_scenes, elsewhere)).json
    assert plain["scenes"] == [{"nodes": [4]}, {"nodes": [3]}]
    assert plain["nodes"][4] == {"name": "fern", "translation": [3.0, 0.0, 0.0], "children": [0, 2]}


def test_a_node_that_lost_all_that_lay_in_it_has_no_empty_list(tmp_path):
    group = Part.model_validate({"id": "out", "name": "Out", "shape": {"id": "group_3d"}})

    def taken_out(scene):
        return scene.but(
            parts=(group, *(part.but(parent="out") if part.id == "frond" else part for part in scene.parts))
        )

    file = tmp_path / "out.glb"
    file.write_bytes(alone(nothing, taken_out))
    assert node(NODE / "validate.cjs", file)[0]["messages"] == []
    nodes = read_gltf(file.read_bytes()).json["nodes"]
    assert "children" not in nodes[0] and nodes[4]["children"] == [1]


def test_models_that_are_put_together_move_as_one_and_stay_when_their_group_goes(tmp_path):
    scene = gathered(stage(), "all", ["fern", "stems", "again"], name="All", anchor=Anchor())
    file = tmp_path / "all.glb"
    file.write_bytes(write(handed(scene, ("all:x", 0, 1)), format=SPEC).content)
    assert node(NODE / "validate.cjs", file)[0]["messages"] == []
    plain = read_gltf(file.read_bytes()).json
    (top,) = plain["scenes"][0]["nodes"]
    inside = [plain["nodes"][place] for place in plain["nodes"][top]["children"]]
    assert [item["name"] for item in inside] == ["fern", "stems", "again"]
    assert [len(item["children"]) for item in inside] == [3, 3, 3]
    left = RemovePart(id="all").apply(Project(name="P", scene=scene)).scene
    assert left.parts == stage().parts and left.files == scene.files
    fewer = RemovePart(id="stems").apply(Project(name="P", scene=scene)).scene
    assert {item.file for item in fewer.parts} == {"", "fern", "again"}
