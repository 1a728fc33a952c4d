"""The studio light: on while a 3D scene has no other light, and longer where a lamp is added or it is asked for."""

import pytest
from pydantic import ValidationError
from tests.gltf import model

from fern_tide.core.commands.scene import PutPart, RemovePart, SetStage
from fern_tide.core.document import Project
from fern_tide.core.scene.scene import Part, PartChoice, Scene, SceneFile
from fern_tide.core.scene.studio_light import StudioLight

BOX = Part(id="box", name="Box", shape=PartChoice(id="box"))
LAMP = Part(id="lamp", name="Lamp", shape=PartChoice(id="point_light"))


def project(*parts):
    return Project(name="P", scene=Scene(name="S", kind="3d", parts=parts))


def test_it_is_on_while_there_is_no_other_light():
    assert project(BOX).scene.lit.on and project().scene.lit.on
    assert not project(BOX, LAMP).scene.lit.on
    assert not model(SceneFile(id="f", name="fern.glb", media="2" * 64, kind="gltf")).lit.on, "a model's own lamp"


def test_a_lamp_that_is_added_does_not_put_it_out():
    lit = PutPart(part=LAMP).apply(project(BOX))
    assert lit.scene.lit.on and lit.scene.studio_light is not None
    assert RemovePart(id="lamp").apply(lit).scene.lit.on
    assert PutPart(part=BOX).apply(project()).scene.studio_light is None, "what is no lamp decides nothing"
    more = LAMP.model_copy(update={"id": "another"})
    assert not PutPart(part=more).apply(project(BOX, LAMP)).scene.lit.on, "and it stays out where it was out"


def test_it_is_set_and_stays_as_it_is_set():
    dim = StudioLight(on=True, strength=0.5, turn_degrees=90)
    command = SetStage(studio_light=dim)
    after = command.apply(project(BOX, LAMP))
    assert after.scene.lit == dim and command.label(after) == "Change the studio light"
    assert SetStage(floor=False).apply(after).scene.lit == dim
    for wrong in ({"strength": 4.5}, {"strength": -0.1}, {"turn_degrees": 181}):
        with pytest.raises(ValidationError):
            StudioLight(**wrong)
