"""Edits of mappings: labels like sentences, versions to compare, recipes of the project."""

import pytest

from fern_tide.core.base.errors import FernTideError, UnknownName
from fern_tide.core.commands.mapping import DropVersion, KeepVersion, PutMapping, PutRecipes, RemoveRecipe, ShowVersion
from fern_tide.core.commands.registry import read_command
from fern_tide.core.mapping.drive import ResponseChoice, Stacking
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.starting_recipes import STARTING
from fern_tide.demo.project import demo_project


@pytest.fixture
def project():
    made = demo_project()
    return made[0] if isinstance(made, tuple) else made


def shown(project):
    return project.mappings[0]


def tuned(project, **changes):
    return PutMapping(mapping=shown(project).model_copy(update=changes)).apply(project)


def label(project, **changes):
    return PutMapping(mapping=shown(project).model_copy(update=changes)).label(project)


def with_drive(mapping, **changes):
    return (mapping.drives[0].model_copy(update=changes), *mapping.drives[1:])


def test_what_changed_about_a_drive_is_the_label(project):
    mapping = shown(project)
    part, item = project.scene.resolve(mapping.drives[0].target)
    name = f"the {item.label.lower()} of {part.name}"
    assert label(project, drives=with_drive(mapping, rest=0.123)) == f"Set {name} at rest"
    assert label(project, drives=with_drive(mapping, full=0.123)) == f"Set {name} at full"
    assert label(project, drives=with_drive(mapping, late_frames=2.0)) == f"Move {name} in time"
    assert label(project, drives=with_drive(mapping, stacking=Stacking.ADD)) == f"Stack {name} otherwise"
    assert (
        label(project, drives=with_drive(mapping, response=ResponseChoice(id="bounce")))
        == f"Change the response of {name}"
    )
    fewer = label(project, drives=mapping.drives[1:])
    assert fewer == f"Take {name} off {mapping.name}"
    alone = tuned(project, drives=mapping.drives[1:])
    assert PutMapping(mapping=mapping).label(alone) == f"Let {mapping.name} move {name} too"
    assert label(project, steps=(StepChoice.parse("flip"),)) == f"Add flip to {mapping.name}"


def test_versions_are_kept_under_letters_shown_and_dropped(project):
    key = shown(project).id
    project = KeepVersion(id=key).apply(project)
    assert KeepVersion(id=key).apply(project) == project  # the same once more is the same
    flipped = tuned(project, steps=(StepChoice.parse("flip"),))
    back = ShowVersion(id=key, name="A").apply(flipped)
    assert [item.name for item in shown(back).versions] == ["A", "B"]  # what was not kept is kept before it goes
    assert shown(back).tuning == shown(project).tuning
    again = ShowVersion(id=key, name="B").apply(back)
    assert shown(again).steps == shown(flipped).steps and len(shown(again).versions) == 2
    only = DropVersion(id=key).apply(again)
    assert shown(only).versions == () and shown(only).tuning == shown(again).tuning
    assert [item.name for item in shown(DropVersion(id=key, name="A").apply(again)).versions] == ["B"]


def test_four_versions_are_the_most_and_a_free_letter_is_used_again(project):
    key = shown(project).id
    for n in range(2, 6):
        project = KeepVersion(id=key).apply(tuned(project, steps=(StepChoice.parse(f"stairs levels={n}"),)))
    fifth = tuned(project, steps=(StepChoice.parse("flip"),))
    with pytest.raises(FernTideError, match="has 4 versions already"):
        KeepVersion(id=key).apply(fifth)
    assert len(shown(ShowVersion(id=key, name="B").apply(fifth)).versions) == 4
    freed = DropVersion(id=key, name="B").apply(fifth)
    assert [item.name for item in shown(KeepVersion(id=key).apply(freed)).versions] == ["A", "B", "C", "D"]


def test_a_version_that_is_not_there_or_whose_envelope_went_is_refused_with_a_name(project):
    key = shown(project).id
    with pytest.raises(UnknownName, match="no version Z"):
        ShowVersion(id=key, name="Z").apply(project)
    kept = KeepVersion(id=key).apply(project)
    other = next(item.id for item in kept.envelopes if item.id != shown(kept).envelope)
    gone = kept.but(
        mappings=tuple(item.model_copy(update={"envelope": other}) for item in kept.mappings),
        envelopes=tuple(item for item in kept.envelopes if item.id != shown(kept).envelope),
    )
    with pytest.raises(UnknownName, match="no envelope named"):
        ShowVersion(id=key, name="A").apply(gone)


def test_recipes_of_a_project_come_and_go(project):
    put = PutRecipes(recipes=STARTING[:2])
    assert put.label(project) == f"Save the recipe {STARTING[0].name} and 1 more"
    project = put.apply(project)
    assert project.recipes == STARTING[:2]
    gone = RemoveRecipe(id=STARTING[0].id)
    assert gone.label(project) == f"Remove the recipe {STARTING[0].name}"
    assert gone.apply(project).recipes == STARTING[1:2]
    with pytest.raises(UnknownName, match="no recipe named other"):
        RemoveRecipe(id="other").apply(project)


def test_they_are_read_from_plain_data(project):
    key = shown(project).id
    assert read_command({"kind": "keep_version", "id": key}) == KeepVersion(id=key)
    assert read_command({"kind": "show_version", "id": key, "name": "A"}) == ShowVersion(id=key, name="A")
    plain = {"kind": "put_recipes", "recipes": [STARTING[0].model_dump(mode="json")]}
    assert read_command(plain) == PutRecipes(recipes=STARTING[:1])
    with pytest.raises(FernTideError, match="Recipes"):
        read_command({"kind": "put_recipes", "recipes": []})


def test_versions_of_an_earlier_project_are_versions_still(project):
    two = KeepVersion(id=shown(project).id).apply(project)
    plain = shown(two).model_dump(mode="json")
    before = {("kept" if name == "versions" else name): value for name, value in plain.items()}
    assert Mapping.model_validate(before) == shown(two) and len(shown(two).versions) == 1
