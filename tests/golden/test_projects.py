"""Projects as every landed version wrote them, from that version's own code, open and bake."""

from pathlib import Path
from typing import Annotated, ClassVar

import pytest
from pydantic import Field

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.registry import Choice, Registry
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import read_project
from fern_tide.core.mapping.step import Step
from fern_tide.demo.project import demo_project

PROJECTS = sorted((Path(__file__).parent / "projects").glob("*.json"))


@pytest.mark.parametrize("path", PROJECTS, ids=lambda path: path.stem)
def test_a_project_of_an_earlier_version_opens_and_moves_the_same_properties(path):
    project, today = read_project(path.read_text()), demo_project()
    assert [mapping.name for mapping in project.mappings] == [mapping.name for mapping in today.mappings]
    curves, now = Graph(project).curves, Graph(today).curves
    assert curves.keys() == now.keys()
    assert read_project(project.model_dump_json()) == project


def _numbers(version):
    return [int(part) for part in version.split(".")]


def test_there_is_one_of_every_landed_version():
    changelog = (Path(__file__).parents[2] / "CHANGELOG.md").read_text()
    landed = {line.split()[1] for line in changelog.splitlines() if line.startswith("## ")}
    assert {path.stem for path in PROJECTS} >= landed - {max(landed, key=_numbers)}


class SlowParams(Params):
    """As it is counted today; once it was 'seconds'."""

    ms: Annotated[float, Field(gt=0), unit("ms", "How slow.")] = 100.0

    @classmethod
    def upgrade(cls, params):
        """Seconds became milliseconds."""
        if "seconds" not in params:
            return params
        return {"ms": float(params["seconds"]) * 1000.0, **{k: v for k, v in params.items() if k != "seconds"}}


SLOW = Step(id="slow", label="Slow", help="Slow.", params=SlowParams, apply=lambda lift, params, context: lift)


class SlowChoice(Choice):
    registry: ClassVar[Registry[Step]] = Registry({"slow": SLOW}, kind="step")


def test_params_of_an_earlier_version_are_read_in_todays_terms():
    assert SlowChoice.model_validate({"id": "slow", "params": {"seconds": 0.25}}).params == SlowParams(ms=250.0)
    assert SlowChoice.model_validate({"id": "slow", "params": {"ms": 30}}).params == SlowParams(ms=30.0)
    with pytest.raises(InvalidParameter, match="colour"):
        SlowChoice.model_validate({"id": "slow", "params": {"colour": 1}})
