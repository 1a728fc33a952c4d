"""A selection: parts of a scene that are chosen together, under a name."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.target import Id, Name

MOST_CHOSEN = 2000
"""How many parts can be chosen together."""
MOST_SELECTIONS = 200


class Selection(Frozen, frozen=True):
    """Parts that are chosen together.

    Attributes:
        id: the id.
        name: what it is called.
        parts: the ids of its parts, 1 to 2000, in the order of the tree.
    """

    id: Id
    name: Name
    parts: Annotated[tuple[Id, ...], Field(min_length=1), Most(MOST_CHOSEN)]

    def within(self, parts: frozenset[str] | set[str]) -> Selection | None:
        """Give it without parts that are not there any more; None where nothing is left."""
        left = tuple(part for part in self.parts if part in parts)
        if left == self.parts:
            return self
        return self.model_copy(update={"parts": left}) if left else None
