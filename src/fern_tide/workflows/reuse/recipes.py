"""Recipes in use: written down from a mapping, applied to another, copied to other properties."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command, listed
from fern_tide.core.commands.mapping import PutMapping, PutRecipes, RemoveMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.recipe import Recipe, recipe_of
from fern_tide.core.mapping.starting_recipes import STARTING
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune.aiming import aimed, name_after
from fern_tide.workflows.tune.edits import suggest


def known(studio: Studio, project: Project) -> tuple[Recipe, ...]:
    """List the recipes at hand: of the project, of the library, and those that everybody has."""
    return (*project.recipes, *studio.library.all(), *STARTING)


def find(studio: Studio, project: Project, recipe_id: str) -> Recipe:
    """Find a recipe at hand by its id.

    Raises:
        UnknownName: there is none.
    """
    match = next((recipe for recipe in known(studio, project) if recipe.id == recipe_id), None)
    if match is None:
        raise UnknownName(
            f"There is no recipe named {recipe_id:.60}.", remedy="Pick one from the list.", name=recipe_id
        )
    return match


def write_down(
    levels: Levels, project: Project, mapping: Mapping, *, place: int, name: str, ids: Iterable[str]
) -> Recipe:
    """Write a mapping down as a recipe, with the response of the drive at a place.

    Args:
        levels: for what would be suggested.
        project: the document.
        mapping: what is written down.
        place: of the drive.
        name: of the recipe.
        ids: those that are taken.

    Raises:
        NotAnalyzedYet: the level cannot be read yet.
    """
    envelope = project.envelope(mapping.envelope)
    suggested = suggest(
        levels, project, envelope_id=envelope.id, scale=mapping.marks.scale, row=mapping.row, spread=mapping.spread
    ).marks
    return recipe_of(
        mapping,
        mapping.drives[min(place, len(mapping.drives) - 1)],
        clean_up=envelope.clean_up,
        suggested=suggested,
        name=name,
        id=Ids(ids).make(name),
    )


def brought(studio: Studio, project: Project, recipes: Iterable[Recipe]) -> Command:
    """Give the edit that takes recipes of a file into the project.

    One of the same id in the project is replaced; an id that stands for another recipe elsewhere gives way to a fresh
    one, so that every id at hand means one recipe.
    """
    own = {recipe.id for recipe in project.recipes}
    ids = Ids(recipe.id for recipe in known(studio, project))
    renamed = tuple(one if one.id in own else one.but(id=ids.make(one.id)) for one in recipes)
    return PutRecipes(recipes=renamed)


def command(studio: Studio, levels: Levels, project: Project, *, mapping_id: str, recipe_id: str) -> Command:
    """Give the edit that applies a recipe at hand to a mapping; see apply."""
    return apply(levels, project, project.mapping(mapping_id), find(studio, project, recipe_id))


def apply(levels: Levels, project: Project, mapping: Mapping, recipe: Recipe) -> Command:
    """Give the edit that applies a recipe to a mapping.

    The clean-up goes onto the mapping's envelope, or onto a copy of it where others follow that too.

    Raises:
        NotAnalyzedYet: the level cannot be read yet.
    """
    envelope, puts = project.envelope(mapping.envelope), []
    if envelope.clean_up != recipe.clean_up:
        envelope = _cleaned_so(project, mapping, envelope, recipe)
        puts.append(PutEnvelope(envelope=envelope))
        project = puts[0].apply(project)
    suggested = suggest(
        levels, project, envelope_id=envelope.id, scale=recipe.scale, row=mapping.row, spread=mapping.spread
    ).marks
    changed = recipe.applied(mapping, suggested=suggested).model_copy(update={"envelope": envelope.id})
    return Together(words=f"Apply {recipe.name} to {mapping.name}"[:120], commands=(*puts, PutMapping(mapping=changed)))


def _cleaned_so(project: Project, mapping: Mapping, envelope: Envelope, recipe: Recipe) -> Envelope:
    others = [item for item in project.mappings if item.id != mapping.id and envelope.id in (item.envelope, *item.uses)]
    blends = [item for item in project.envelopes if envelope.id in item.uses]
    changed = envelope.model_copy(update={"clean_up": recipe.clean_up})
    if not others and not blends:
        return changed
    alike = next((item for item in project.envelopes if item.same_level(changed)), None)
    if alike is not None:
        return alike
    name = f"{envelope.name}, {recipe.name.lower()}"[:120]
    return changed.model_copy(update={"id": Ids(item.id for item in project.envelopes).make(name), "name": name})


def copy_to(project: Project, mapping: Mapping, targets: Sequence[Target], *, like: int, linked: bool) -> Command:
    """Give the edit that lets other properties move as one of a mapping's drives does.

    Whatever moved them before lets go of them: copies replace, they never pile up.

    Args:
        project: the document.
        mapping: what is copied.
        targets: the other properties.
        like: the place of the drive whose ends, response and lateness count.
        linked: they become part of the mapping, so that one change counts for all; else each gets a mapping of its own.

    Raises:
        InvalidParameter: no property is chosen, or one that the drive moves already.
        UnknownName: there is no such part or property.
    """
    drive = mapping.drives[min(like, len(mapping.drives) - 1)]
    wanted = tuple(dict.fromkeys(targets))
    if not wanted or drive.target in wanted:
        raise InvalidParameter("property", value="missing", allowed="at least one that this does not move already")
    drives = tuple(aimed(project, drive, target) for target in wanted)
    freed = [_without(item, wanted) for item in project.mappings]
    commands: list[Command] = []
    for before, after in zip(project.mappings, freed, strict=True):
        if after is None:
            commands.append(RemoveMapping(id=before.id))
        elif after != before and before.id != mapping.id:
            commands.append(PutMapping(mapping=after))
    own = next(item for item in freed if item is not None and item.id == mapping.id)
    if linked:
        own = own.model_copy(update={"drives": own.drives + drives})
    if own != mapping:
        commands.append(PutMapping(mapping=own))
    ids = Ids(item.id for item in project.mappings)
    for one in () if linked else drives:
        name = name_after(project, one.target)
        alone = {"id": ids.make(name), "name": name, "drives": (one,), "versions": (), "spread": False}
        commands.append(PutMapping(mapping=mapping.model_copy(update=alone)))
    names = (
        listed([_words(project, target) for target in wanted[:2]]) if len(wanted) < 3 else f"{len(wanted)} properties"
    )
    return Together(words=f"Copy {mapping.name} to {names}"[:120], commands=tuple(commands))


def _without(mapping: Mapping, targets: Sequence[Target]) -> Mapping | None:
    left = tuple(drive for drive in mapping.drives if drive.target not in targets)
    if len(left) == len(mapping.drives):
        return mapping
    return mapping.model_copy(update={"drives": left}) if left else None


def _words(project: Project, target: Target) -> str:
    part, item = project.scene.resolve(target)
    return f"the {item.label.lower()} of {part.name}"
