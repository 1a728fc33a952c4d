"""Dials: numbers of one's own, which CSV and JSON carry and pictures do not."""

import json

import numpy as np
import pytest

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.commands.field import AddEntry, ChangeList, ListChange, Owner, SetField
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.scene import Part, PartChoice, Scene

FRAMES, RATE = 5, FrameRate.parse("25")
NUMBERS = [
    {"slot": 1, "name": "Fan", "unit": "rpm", "low": 200.0, "high": 1200.0},
    {"slot": 3, "name": "Valve", "low": -1.0, "high": 1.0},
]


def dial(space, **params):
    shape = {"id": "dial" if space == "2d" else "dial_3d", "params": params or {"numbers": NUMBERS}}
    return Part.model_validate({"id": "pump", "name": "Pump", "shape": shape})


def scene(space, *parts):
    return Scene(name="s", kind=space, parts=(dial(space), *parts))


def test_its_numbers_are_properties_from_their_least_at_rest_to_their_most_at_full():
    part = dial("2d")
    fan, valve = part.properties
    assert (fan.id, fan.label, fan.unit, fan.low, fan.high) == ("number_1", "Fan", "rpm", 200.0, 1200.0)
    assert fan.suggest_ends(part.own("number_1")) == (200.0, 1200.0)
    assert (valve.id, valve.suggest_ends(part.own("number_3"))) == ("number_3", (-1.0, 1.0))
    assert dial("3d", numbers=[{"slot": 1}]).properties[0].suggest_ends(0.0) == (0.0, 1.0)


@pytest.mark.parametrize(
    ("numbers", "words"),
    [
        ([{"slot": 1, "low": 1.0, "high": 1.0}], "less than 1"),
        ([{"slot": 1}, {"slot": 1}], "no other has"),
        ([], "numbers"),
        ([{"slot": 65}], "slot"),
        ([{"slot": 1, "unit": "a" * 13}], "unit"),
    ],
)
def test_what_no_dial_can_be_is_refused_by_name(numbers, words):
    with pytest.raises((InvalidParameter, FernTideError), match="(?i)" + words):
        PartChoice.model_validate({"id": "dial", "params": {"numbers": numbers}})


@pytest.mark.parametrize(("space", "picture"), [("2d", "svg"), ("3d", "gltf")])
def test_tables_carry_its_numbers_and_pictures_leave_them_out(space, picture):
    other = Part(id="pot", name="Pot", shape=PartChoice(id="rectangle" if space == "2d" else "box"))
    stage = scene(space, other)
    fan = Curve(
        Target(part="pump", property="number_1"), "Pump", "Fan", "rpm", "number", np.linspace(200, 1200, FRAMES)
    )
    turn = Curve(Target(part="pot", property="scale_y"), "Pot", "Height", "x", "number", np.linspace(1, 2, FRAMES))
    hand_off = HandOff("p", stage, (fan, turn), RATE, FRAMES)
    table = write(hand_off, format=FORMATS["csv"]).content.decode()
    assert "pump:number_1 [rpm]" in table and write(hand_off, format=FORMATS["json"]).error == 0
    plain = json.loads(write(hand_off, format=FORMATS["json"]).content)["curves"][0]
    assert (plain["part"], plain["property"], plain["unit"]) == ("Pump", "Fan", "rpm")
    made = write(hand_off, format=FORMATS[picture])
    assert made.n_curves == 1 and b"pump" not in made.content.lower()
    with pytest.raises(FernTideError, match="left out"):
        write(HandOff("p", stage, (fan,), RATE, FRAMES), format=FORMATS[picture])


def test_it_is_in_no_picture_of_the_scene():
    assert "pump" not in markup(draw(scene("2d")))
    assert build(scene("3d"), files={}).places == {}


def test_numbers_are_added_named_and_removed_with_what_drives_them():
    drives = [{"target": f"pump:number_{slot}", "rest": 0.0, "full": 1.0} for slot in (1, 3)]
    marks = {"low": 0.0, "high": 1.0}
    mapping = Mapping.model_validate({"id": "m", "name": "m", "envelope": "e", "marks": marks, "drives": drives})
    envelope = Envelope(id="e", name="e", reading=ReadingChoice(id="beats"))
    project = PutMapping(mapping=mapping).apply(Project(name="p", scene=scene("2d"), envelopes=(envelope,)))
    at = {"owner": Owner.PART, "id": "pump"}
    project = AddEntry(**at, path="shape.params.numbers", value={"slot": 2, "name": "Lid"}).apply(project)
    project = SetField(**at, path="shape.params.numbers.2.unit", value="%").apply(project)
    assert [item.id for item in project.scene.part("pump").properties] == ["number_1", "number_3", "number_2"]
    assert project.scene.part("pump").property("number_2").unit == "%"
    less = ChangeList(**at, path="shape.params.numbers.1", how=ListChange.DROP).apply(project)
    assert [str(drive.target) for drive in less.mappings[0].drives] == ["pump:number_1"]
    assert [item.id for item in less.scene.part("pump").properties] == ["number_1", "number_2"]
