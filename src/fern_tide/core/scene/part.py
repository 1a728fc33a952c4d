"""What a kind of part is, and a part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Any

from pydantic import Field

from fern_tide.core.base.params import Frozen, Params
from fern_tide.core.base.target import Id, Name
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.mapping import Number
from fern_tide.core.scene.properties import Property


@dataclass(frozen=True)
class Element:
    """An SVG element: what a part looks like.

    Attributes:
        tag: its name.
        attributes: fixed ones; driven ones are set from bindings.
        children: elements inside.
        text: text inside.
        slot: the name under which bindings reach it; 'own' is the part's visible element.
    """

    tag: str
    attributes: dict[str, str] = field(default_factory=dict)
    children: tuple[Element, ...] = ()
    text: str = ""
    slot: str = ""


@dataclass(frozen=True)
class Binding:
    """Which attribute of which element shows a property."""

    property: str
    slot: str
    attribute: str


@dataclass(frozen=True)
class PartKind:
    """A kind of part.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is.
        params: the model of its geometry.
        properties: what can be animated.
        draw: gives its element from its params; the slot 'own' is required.
        bindings: where properties other than place, opacity and blur show.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    properties: tuple[Property, ...]
    draw: Callable[[Any, str], Element]
    bindings: tuple[Binding, ...] = ()


class Anchor(Frozen, frozen=True):
    """The point of a part that turning and scaling leave in place, in the scene's pixels, and a word for it."""

    x: Number = 0.0
    y: Number = 0.0
    word: Annotated[str, Field(max_length=60)] = "centre"


class PartBase(Frozen, frozen=True):
    """What every part has; scene.py adds its kind.

    Attributes:
        id: the name in targets.
        name: what people read.
        parent: the part that this one moves with.
        anchor: where it turns and scales.
        values: its own values, where they are not the properties' defaults.
    """

    id: Id
    name: Name
    parent: Id | None = None
    anchor: Anchor = Anchor()
    values: dict[Id, Number | Colour] = Field(default_factory=dict)


PAINT_BINDINGS = (
    Binding("fill", "own", "fill"),
    Binding("stroke", "own", "stroke"),
    Binding("stroke_width", "own", "stroke-width"),
)
