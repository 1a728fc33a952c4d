"""A scene: its parts in drawing order, and what their properties are."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.target import Name, Target
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.scene import parts as parts_folder
from fern_tide.core.scene.part import PartBase, PartKind
from fern_tide.core.scene.properties import Property

PART_KINDS = discover(parts_folder, attribute="KIND", of=PartKind, kind="kind of part")


class PartChoice(Choice):
    """A kind of part and its geometry."""

    registry: ClassVar[Registry[PartKind]] = PART_KINDS


class Part(PartBase, frozen=True):
    """Something in a scene that has properties."""

    shape: PartChoice

    @property
    def kind(self) -> PartKind:
        """The registered kind."""
        return PART_KINDS[self.shape.id]

    def property(self, name: str) -> Property:
        """Find a property.

        Raises:
            UnknownName: this kind of part has none of that name.
        """
        for candidate in self.kind.properties:
            if candidate.id == name:
                return candidate
        known = ", ".join(candidate.id for candidate in self.kind.properties)
        raise UnknownName(f"{self.name} has no property named {name:.60}.", remedy=f"Use one of: {known}.", name=name)

    def own(self, name: str) -> float | str:
        """Give the part's own value of a property, which is its default where nothing else is said."""
        return self.values.get(name, self.property(name).default)


class Scene(Frozen, frozen=True):
    """Parts in drawing order, children after their parents, on a stage of a size in pixels."""

    name: Name
    kind: Literal["2d"] = "2d"
    width: Annotated[int, Field(ge=16, le=16_384)] = 1920
    height: Annotated[int, Field(ge=16, le=16_384)] = 1080
    background: Colour = "#0e1b18"
    parts: tuple[Part, ...] = ()

    @model_validator(mode="after")
    def _sound(self) -> Scene:
        seen: set[str] = set()
        for part in self.parts:
            if part.id in seen:
                raise InvalidParameter("part id", value=part.id, allowed="an id that no other part has")
            if part.parent is not None and part.parent not in seen:
                raise InvalidParameter("parent", value=part.parent, allowed="a part that comes before its child")
            for name, value in part.values.items():
                if (part.property(name).kind == "colour") != isinstance(value, str):
                    raise InvalidParameter(f"{part.id}:{name}", value=value, allowed=f"a {part.property(name).kind}")
            seen.add(part.id)
        return self

    @cached_property
    def _by_id(self) -> dict[str, Part]:
        return {part.id: part for part in self.parts}

    def part(self, part_id: str) -> Part:
        """Find a part.

        Raises:
            UnknownName: there is none of that id.
        """
        try:
            return self._by_id[part_id]
        except KeyError:
            raise UnknownName(
                f"The scene has no part named {part_id:.60}.",
                remedy=f"Use one of: {', '.join(self._by_id)}.",
                name=part_id,
            ) from None

    def resolve(self, target: Target) -> tuple[Part, Property]:
        """Find what a target names.

        Raises:
            UnknownName: there is no such part or property.
        """
        part = self.part(target.part)
        return part, part.property(target.property)

    @cached_property
    def _places(self) -> dict[tuple[str, str], int]:
        names = ((part.id, item.id) for part in self.parts for item in part.kind.properties)
        return {name: place for place, name in enumerate(names)}

    def place(self, target: Target) -> int:
        """Give a target's place among all properties, in drawing order."""
        return self._places[target.part, target.property]

    def describe(self) -> dict[str, object]:
        """List parts and properties as plain data, for the command line and other programs."""
        return {
            "name": self.name,
            "kind": self.kind,
            "width": self.width,
            "height": self.height,
            "parts": [
                {
                    "id": part.id,
                    "name": part.name,
                    "kind": part.shape.id,
                    "parent": part.parent,
                    "anchor": part.anchor.model_dump(),
                    "properties": [
                        {
                            "id": item.id,
                            "name": item.label,
                            "kind": item.kind,
                            "unit": item.unit,
                            "range": [item.low, item.high],
                            "rest": part.own(item.id),
                        }
                        for item in part.kind.properties
                    ],
                }
                for part in self.parts
            ],
        }
