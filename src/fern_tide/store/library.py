"""The library: recipes that every project can use."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fern_tide.core.mapping.recipe import Recipe
from fern_tide.store.database import Session, Tables, open_database


class LibraryStore:
    """Recipes by id, in the order in which they came; the tables are made by the store of projects."""

    def __init__(self, path: Path) -> None:
        self._db: Any = open_database(path)
        self._table = Tables(self._db).library

    def close(self) -> None:
        """Close this thread's connection."""
        if not self._db.is_closed():
            self._db.close()

    def all(self) -> tuple[Recipe, ...]:
        """List the recipes."""
        with Session(self._db):
            rows = list(self._table.select().order_by(self._table.id))
        return tuple(Recipe.model_validate_json(row.recipe) for row in rows)

    def put(self, recipe: Recipe) -> None:
        """Add a recipe, or change the one of the same id."""
        text = recipe.model_dump_json()
        with Session(self._db):
            changed = self._table.update(recipe=text).where(self._table.key == recipe.id).execute()
            if not changed:
                self._table.create(key=recipe.id, recipe=text)

    def remove(self, recipe_id: str) -> None:
        """Take a recipe out; one that is not there is gone already."""
        with Session(self._db):
            self._table.delete().where(self._table.key == recipe_id).execute()
