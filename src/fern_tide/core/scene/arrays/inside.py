"""What may lie in an array, what its pieces may follow, and how many pieces a scene may have."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Protocol

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.part import PartKind

MOST_IN_SCENE = 500_000
"""Pieces of all arrays of a scene together."""


class Placed(Protocol):
    """A part, as far as it matters here."""

    @property
    def id(self) -> str:
        """Its id."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def parent(self) -> str | None:
        """What it lies in."""

    @property
    def kind(self) -> PartKind:
        """Its kind."""

    @property
    def shape(self) -> Any:
        """Its kind's params."""


PREFIX = "piece_"
"""What the properties of pieces begin with."""


def check_arrays(parts: Iterable[Placed], follows: Iterable[Follow]) -> None:
    """See that arrays hold only what pieces can be made from, that these follow nothing, and are not too many.

    Args:
        parts: of a scene, each after what it lies in.
        follows: of the scene.

    Raises:
        InvalidParameter: there are too many pieces; an array, a light, a camera or a dial lies in an array; or pieces
            follow something: each moves by a lift of its own, and what is followed has one value for all.
    """
    arrays = set()
    inside: set[str] = set()
    count = 0
    for part in parts:
        kind = part.kind
        if part.parent in inside:
            inside.add(part.id)
            if kind.pieces or kind.emits or kind.films or not kind.looks:
                raise InvalidParameter(
                    f"{part.name} in an array",
                    value=kind.label,
                    allowed="things to see, which are no arrays themselves",
                )
        if kind.pieces:
            arrays.add(part.id)
            inside.add(part.id)
            count += part.shape.params.n_pieces
    if count > MOST_IN_SCENE:
        raise InvalidParameter("pieces of all arrays", value=f"{count:,}", allowed=f"at most {MOST_IN_SCENE:,}")
    for follow in follows:
        if follow.target.part in arrays and follow.target.property.startswith(PREFIX):
            allowed = "a mapping to move it: pieces follow nothing"
            raise InvalidParameter(str(follow.target), value=str(follow.source), allowed=allowed)
