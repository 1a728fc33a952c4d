"""What a file moves itself gives way to what is driven, and the rest of its motion goes home."""

import pytest
from tests.core.formats.hand_offs import LEAF, fern, leaf

from fern_tide.core.formats.format import write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.own_motion import overruled
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Scene

SWAYS = b'<v:animateTransform attributeName="transform" type="rotate" values="0;9" dur="2s"/>'
GLIDES = b'<v:animateMotion path="M0 0L9 9" dur="2s"/>'
FADES = b'<v:animate attributeName="opacity" values="0;1" dur="2s"/>'
MOVING = LEAF.replace(b"data-own='kept'>", b"data-own='kept'>" + SWAYS + GLIDES + FADES)


def words_of(hand_off):
    items = overruled(hand_off.scene, [curve.target for curve in hand_off.curves], media=hand_off.media)
    return [f"{words} of {part.name}" for part, words in items]


@pytest.mark.parametrize(
    ("end", "gone", "words"),
    [
        (("sprig:turn", 0, 20), [SWAYS, GLIDES], ["place of Sprig", "place of Sprig"]),
        (("sprig:opacity", 1, 0), [FADES], ["opacity of Sprig"]),
        (("leaf-2:turn", 0, 20), [], []),
    ],
)
@pytest.mark.parametrize("drawn", [False, True])
def test_an_svgs_own_animation_of_what_is_driven_is_left_out(end, gone, words, drawn):
    hand_off = leaf(end, content=MOVING)
    if drawn:  # whole, since the file does not stand as it came
        size = {"values": {"x": 5.0}}
        parts = tuple(p.model_copy(update=size) if p.parent is None else p for p in hand_off.scene.parts)
        hand_off = leaf(end, content=MOVING, change=lambda scene: scene.but(parts=parts))
    assert words_of(hand_off) == words
    written = write(hand_off, format=FORMATS["svg"])
    assert written.error < 1e-3
    for own, told in ((SWAYS, b'values="0;9"'), (GLIDES, b'path="M0 0L9 9"'), (FADES, b'values="0;1"')):
        assert (told in written.content) is (own not in gone)


def test_a_files_motion_that_is_switched_off_gives_way_to_nothing():
    def off(scene: Scene) -> Scene:
        return scene.but(files=tuple(file.model_copy(update={"plays": False}) for file in scene.files))

    assert words_of(leaf(("sprig:turn", 0, 20), content=MOVING, change=off)) == []


def anchored(scene):
    anchor = Anchor(x=0.5, word="right")
    return scene.but(parts=tuple(p.model_copy(update={"anchor": anchor}) if p.id == "pot" else p for p in scene.parts))


@pytest.mark.parametrize(
    ("end", "words"),
    [(("pot:turn_y", 0, 40), ["turn of Pot"]), (("pot:y", 2, 4), []), (("frond:turn_z", 30, 80), [])],
)
def test_a_gltfs_own_animation_of_what_is_driven_is_left_out(end, words):
    hand_off = fern(end)
    assert words_of(hand_off) == words
    names = [item["name"] for item in read_gltf(write(hand_off, format=FORMATS["gltf"]).content).json["animations"]]
    assert names == (["Fern"] if words else ["Nods", "Fern"])


def test_turning_about_an_anchor_also_takes_the_place_over():
    assert words_of(fern(("pot:scale_x", 1, 2), change=anchored)) == []  # its file turns it, and does not move it
    glides = fern(("pot:scale_x", 1, 2), change=anchored)
    document = next(iter(glides.media.gltfs.values())).json
    document["animations"][0]["channels"][0]["target"]["path"] = "translation"
    assert words_of(glides) == ["place of Pot"]
    document["animations"][0]["channels"][0]["target"] = {"path": "pointer"}
    assert words_of(glides) == []  # it points nowhere that is known
