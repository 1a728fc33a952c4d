"""A name for one animatable property of one part; the scene resolves it."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import StringConstraints, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen

Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Id = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,63}$")]
MediaHash = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


class Target(Frozen, frozen=True):
    """A property of a part, as 'lamp:turn'."""

    part: Id
    property: Id

    @model_validator(mode="before")
    @classmethod
    def _of_text(cls, data: Any) -> Any:
        """Take 'lamp:turn' too, as people and fields write it."""
        if not isinstance(data, str):
            return data
        part, _, name = data.strip().partition(":")
        return {"part": part, "property": name}

    @classmethod
    def parse(cls, text: str) -> Target:
        """Read 'part:property'.

        Raises:
            InvalidParameter: there is no colon, or a name has letters that ids do not have.
        """
        part, colon, name = text.strip().partition(":")
        try:
            if not colon:
                raise ValueError(text)
            return cls(part=part, property=name)
        except ValueError as cause:
            raise InvalidParameter("target", value=text, allowed="PART:PROPERTY, such as lamp:turn") from cause

    def __hash__(self) -> int:
        return hash((self.part, self.property))  # a key of many dictionaries: several times as fast as any model's

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Target) and self.part == other.part and self.property == other.property

    def __str__(self) -> str:
        return f"{self.part}:{self.property}"
