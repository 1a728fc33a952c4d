"""A recipe: a mapping's clean-up, marks, steps and response under a name, to be used again elsewhere."""

from __future__ import annotations

import contextlib
import json
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.refusal import refused
from fern_tide.core.base.target import Id, Name
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.envelope.envelope import CleanUpChoice
from fern_tide.core.mapping.drive import Drive, ResponseChoice
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.marks import Marks, Scale

FORMAT = "fern-tide-recipes"
VERSION = 1
MOST_RECIPES = 200
MOST_BYTES = 1 << 20


class Recipe(Frozen, frozen=True):
    """What can be applied to another envelope and property.

    Attributes:
        clean_up: what is done to the level.
        low_db: how far low water lies above where it would be suggested.
        high_db: the same of high water.
        scale: the scale on which lift runs evenly.
        spill: whether lift goes on above high water.
        steps: in order.
        response: of every property.
    """

    id: Id
    name: Name
    help: Annotated[str, Field(max_length=200)] = ""
    clean_up: Annotated[tuple[CleanUpChoice, ...], Most(32)] = ()
    low_db: Annotated[float, Field(ge=-200, le=200)] = 0.0
    high_db: Annotated[float, Field(ge=-200, le=200)] = 0.0
    scale: Scale = Scale.LINEAR
    spill: bool = False
    steps: Annotated[tuple[StepChoice, ...], Most(32)] = ()
    response: ResponseChoice = ResponseChoice(id="straight")

    def marks(self, suggested: Marks) -> Marks:
        """Give the marks on a level from those that are suggested for it; high water stays above low water."""
        low, high = suggested.low, suggested.high
        if self.low_db:
            low = from_db(to_db(low) + self.low_db)
        if self.high_db:
            high = from_db(to_db(high) + self.high_db)
        high = min(16.0, max(high, low * 1.01, 1e-6))
        return Marks(low=min(low, high / 1.01), high=high, scale=self.scale, spill=self.spill)

    def applied(self, mapping: Mapping, *, suggested: Marks) -> Mapping:
        """Give a mapping with the recipe's marks, steps and response; what it moves and between which ends stays.

        Args:
            mapping: any; its envelope's clean-up is not part of it.
            suggested: the marks suggested for its level once that has the recipe's clean-up.
        """
        drives = tuple(drive.model_copy(update={"response": self.response}) for drive in mapping.drives)
        changed = {"marks": self.marks(suggested), "steps": self.steps, "drives": drives}
        return mapping.model_copy(update=changed)


def recipe_of(
    mapping: Mapping, drive: Drive, *, clean_up: tuple[CleanUpChoice, ...], suggested: Marks, name: str, id: str
) -> Recipe:
    """Write a mapping down as a recipe.

    Args:
        mapping: its marks and steps count.
        drive: its response counts.
        clean_up: of the mapping's envelope.
        suggested: the marks that would be suggested for its level: the recipe keeps how far its own lie from them.
        name: what people will read.
        id: of the recipe.
    """
    marks = mapping.marks
    return Recipe(
        id=id,
        name=name,
        clean_up=clean_up,
        low_db=round(to_db(marks.low) - to_db(suggested.low), 2),
        high_db=round(to_db(marks.high) - to_db(suggested.high), 2),
        scale=marks.scale,
        spill=marks.spill,
        steps=mapping.steps,
        response=drive.response,
    )


class _File(Frozen, frozen=True):
    format: Literal["fern-tide-recipes"] = "fern-tide-recipes"
    version: Literal[1] = 1
    recipes: Annotated[tuple[Recipe, ...], Most(MOST_RECIPES)]


def write_recipes(recipes: tuple[Recipe, ...]) -> str:
    """Write recipes as JSON, as they can be read again."""
    return json.dumps(_File(recipes=recipes).model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"


def read_recipes(content: bytes) -> tuple[Recipe, ...]:
    """Read recipes from JSON.

    Raises:
        FernTideError: it is no such file, comes from a newer version, or something in it is not possible.
    """
    plain: Any = None
    with contextlib.suppress(ValueError, RecursionError):
        plain = json.loads(content) if len(content) <= MOST_BYTES else None
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise FernTideError("This is no file of recipes.", remedy="Choose a .json file that Fern Tide exported.")
    version = plain.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise FernTideError("The recipes come from a newer Fern Tide.", remedy="Update Fern Tide to read them.")
    try:
        return _File.model_validate(plain).recipes
    except ValidationError as cause:
        wrong = refused(cause, model=_File)
        raise FernTideError(f"The recipes cannot be read. {wrong.what}", remedy=wrong.remedy) from cause
    except FernTideError as cause:
        raise FernTideError(f"The recipes cannot be read. {cause.what}", remedy=cause.remedy) from cause
