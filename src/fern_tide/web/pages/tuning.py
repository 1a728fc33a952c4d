"""What the Bench does with mappings besides editing their numbers: recipes, copies, versions, other axes, reasons."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.mapping import PutMapping, PutRecipes
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import CLEAN_UPS
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS, Mapping
from fern_tide.core.mapping.recipe import MOST_BYTES, read_recipes, write_recipes
from fern_tide.core.mapping.starting_recipes import STARTING
from fern_tide.web import pictures
from fern_tide.web.context import body, services, small_upload, staged, status, studio, whole
from fern_tide.workflows.reuse import recipes
from fern_tide.workflows.tune import edits, first_cut, why

pages = Blueprint("tuning", __name__, url_prefix="/p/<key>")


def _saved(key: str, plain: dict[str, Any], command: Command) -> Any:
    revision = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify(status(revision))


def _document(key: str) -> Project:
    return studio().projects.head(key)[1]


@pages.get("/bench/drawer/<name>")
def drawer(key: str, name: str) -> Any:
    """Show what can be picked for a mapping: clean-up, steps, responses, recipes, copies, or why a value is so."""
    if name not in {"clean_ups", "steps", "responses", "recipes", "copy", "why", "suggestions"}:
        return Response(status=404)
    if name == "clean_ups":
        envelope = request.args.get("envelope") or _document(key).mapping(request.args.get("mapping", "")).envelope
        cards = {"clean_ups": CLEAN_UPS, "picture": pictures.clean_up_picture}
        return render_template("bench/clean_ups.html", envelope_id=envelope, **cards)
    project = _document(key)
    mapping = project.mapping(request.args.get("mapping", ""))
    place = min(max(request.args.get("drive", 0, type=int), 0), len(mapping.drives) - 1)
    shown: dict[str, Any] = {"key": key, "project": project, "mapping": mapping, "drive_place": place}
    if name == "steps":
        shown |= {"steps": STEPS, "picture": pictures.step_picture}
    if name == "responses":
        shown |= {"responses": RESPONSES, "picture": pictures.response_picture}
    if name == "recipes":
        shown |= {"library": studio().library.all(), "starting": STARTING, "picture": pictures.recipe_picture}
    if name == "copy":
        shown["movers"] = {str(drive.target): item.name for item in project.mappings for drive in item.drives}
    if name == "suggestions":
        shown |= {"envelope": project.envelope(mapping.envelope), "offers": _offers(project, mapping)}
    if name == "why":
        shown |= _reasons(project, mapping, place)
    return render_template(f"bench/{name}.html", **shown)


def _offers(project: Project, mapping: Mapping) -> list[tuple[str, str, dict[str, Any]]]:
    """List what else the envelope of a mapping could move: what happens, why, and the edit."""
    stage, levels = staged(project.scene), services().levels
    offers = first_cut.suggestions(levels, project, staged=stage, parts=(), envelope=mapping.envelope)
    return [(words, reason, edit.model_dump(mode="json")) for words, reason, edit in offers]


def _reasons(project: Project, mapping: Mapping, place: int) -> dict[str, Any]:
    frame = request.args.get("frame", 0, type=int)
    part, item = project.scene.resolve(mapping.drives[place].target)
    lines = why.why(services().levels, project, mapping, place=place, frame=frame)
    return {"lines": lines, "frame": frame, "part": part, "property": item}


@pages.post("/mappings/<mapping_id>/recipe")
def apply_recipe(key: str, mapping_id: str) -> Any:
    """Apply a recipe to a mapping."""
    plain, project = body(), _document(key)
    recipe = str(plain.get("recipe"))
    command = recipes.command(studio(), services().levels, project, mapping_id=mapping_id, recipe_id=recipe)
    return _saved(key, plain, command)


@pages.post("/mappings/<mapping_id>/copy")
def copy(key: str, mapping_id: str) -> Any:
    """Let other properties move as one of a mapping's does: as part of it, or each with a mapping of its own."""
    plain, project = body(), _document(key)
    wanted = plain.get("targets")
    if not isinstance(wanted, list) or len(wanted) > 500:
        raise InvalidParameter("targets", value="missing", allowed="a list of properties")
    command = recipes.copy_to(
        project,
        project.mapping(mapping_id),
        [Target.parse(str(name)) for name in wanted],
        like=whole(plain, "place"),
        linked=bool(plain.get("linked")),
    )
    return _saved(key, plain, command)


@pages.post("/mappings/<mapping_id>/axes")
def axes(key: str, mapping_id: str) -> Any:
    """Let a mapping move a property along the other axes too, or the other way there (taller and thinner)."""
    plain, project = body(), _document(key)
    mapping = project.mapping(mapping_id)
    other_way = plain.get("inverted") is True
    grown = why.with_siblings(project, mapping, place=whole(plain, "place"), other_way=other_way)
    if grown == mapping:
        raise InvalidParameter("axes", value="none left", allowed="a property with other axes, not moved yet")
    revision = edits.edit(studio(), key, PutMapping(mapping=grown), base=whole(plain, "base"))
    return jsonify({**status(revision), "chosen": {"mapping": mapping_id, "drive": len(mapping.drives)}})


@pages.post("/mappings/<mapping_id>/invert")
def invert(key: str, mapping_id: str) -> Any:
    """Let one of a mapping's drives go the other way."""
    plain = body()
    changed = why.invert(_document(key).mapping(mapping_id), place=whole(plain, "place"))
    return _saved(key, plain, PutMapping(mapping=changed))


@pages.post("/recipes")
def save_recipe(key: str) -> Any:
    """Write a mapping down as a recipe of the project, or of the library that every project has."""
    plain, project = body(), _document(key)
    name = str(plain.get("name") or "").strip()
    if not name:
        raise InvalidParameter("name", value="missing", allowed="a name for the recipe")
    mapping = project.mapping(str(plain.get("mapping")))
    ids = [recipe.id for recipe in recipes.known(studio(), project)]
    levels, place = services().levels, whole(plain, "place")
    recipe = recipes.write_down(levels, project, mapping, place=place, name=name[:120], ids=ids)
    if not plain.get("library"):
        return _saved(key, plain, PutRecipes(recipes=(recipe,)))
    studio().library.put(recipe)
    return jsonify(status(studio().projects.current(key)))


@pages.post("/recipes/<recipe_id>/forget")
def forget_recipe(key: str, recipe_id: str) -> Any:
    """Take a recipe out of the library."""
    studio().library.remove(recipe_id)
    return jsonify(status(studio().projects.current(key)))


@pages.get("/recipes.json")
def export_recipes(key: str) -> Response:
    """Give the recipes of the project and of the library as a file."""
    mine = {recipe.id: recipe for recipe in (*studio().library.all(), *_document(key).recipes)}
    headers = {"Content-Disposition": 'attachment; filename="recipes.json"'}
    return Response(write_recipes(tuple(mine.values())), mimetype="application/json", headers=headers)


@pages.post("/recipes/files")
def import_recipes(key: str) -> Any:
    """Take the recipes of a file into the project."""
    imported = read_recipes(small_upload(MOST_BYTES))
    if not imported:
        raise FernTideError("There are no recipes in the file.", remedy="Choose another one.")
    current = studio().projects.current(key)
    revision = edits.edit(studio(), key, recipes.brought(studio(), current.document, imported), base=current.id)
    return jsonify({**status(revision), "recipes": len(imported)})
