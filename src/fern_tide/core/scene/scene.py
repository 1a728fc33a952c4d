"""A scene: its parts in drawing order, and what their properties are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.limits import MOST_PARTS, Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.target import Id, MediaHash, Name, Target
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.scene import parts as parts_folder
from fern_tide.core.scene.arrays.inside import check_arrays
from fern_tide.core.scene.follow import Follow, Limit
from fern_tide.core.scene.ground import Ground
from fern_tide.core.scene.grounds import at_rest, grounds_of
from fern_tide.core.scene.part import Channel, Form, PartBase, PartKind
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.ride import RIDING
from fern_tide.core.scene.selection import MOST_SELECTIONS, Selection
from fern_tide.core.scene.shaping import check_shapers
from fern_tide.core.scene.studio_light import StudioLight

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

    @property
    def file(self) -> str:
        """The id of the file that it came from; '' for a part that was made here."""
        return str(getattr(self.shape.params, "file", ""))

    @property
    def file_index(self) -> int:
        """Which element, node, material, light or camera of its file it is, from 0; -1 for what is none of these."""
        return int(getattr(self.shape.params, "index", -1))

    @property
    def shaped(self) -> tuple[Property, ...]:
        """The amounts of its shapers."""
        return tuple(item for one in self.shapers for item in one.properties_in(self.kind.space))

    @property
    def properties(self) -> tuple[Property, ...]:
        """What can be animated: what its kind has, and what its own file, geometry and way add."""
        kind = self.kind
        own = kind.properties if kind.more is None else kind.properties + kind.more(self.shape.params)
        return (*(self.ride.properties(kind.space) if self.ride else ()), *self.shaped, *own)

    @property
    def channels(self) -> tuple[Channel, ...]:
        """Where its properties show in a glTF file; none of a 2D part."""
        kind = self.kind
        own = kind.channels if kind.more_channels is None else kind.channels + kind.more_channels(self.shape.params)
        names = tuple(item.id for item in self.shaped)
        return (*own, Channel("/nodes/{node}/weights", names, Form.SHAPES)) if names else own

    @property
    def off_its_way(self) -> Part:
        """The part as it is when it moves along no way."""
        return self.but(ride=None, values={name: value for name, value in self.values.items() if name not in RIDING})

    @cached_property
    def _by_name(self) -> dict[str, Property]:
        return {item.id: item for item in self.properties}

    def property(self, name: str) -> Property:
        """Find a property.

        Raises:
            UnknownName: this part has none of that name.
        """
        try:
            return self._by_name[name]
        except KeyError:
            words = f"{self.name} has no property named {name:.60}."
            raise UnknownName(words, remedy=f"Use one of: {', '.join(self._by_name)}.", name=name) from None

    def has(self, name: str) -> bool:
        """Say whether it has a property of that name."""
        return name in self._by_name

    def own(self, name: str) -> float | str:
        """Give the part's own value of a property, which is its default where nothing else is said."""
        return self.values.get(name, self.property(name).default)


class SceneFile(Frozen, frozen=True):
    """A file that parts of the scene come from.

    Attributes:
        id: the name that its parts know it by.
        name: of the file, as it was brought in.
        media: the SHA-256 of the file as it is kept: what was hostile in it is gone.
        kind: what it is.
        plays: whether animations that it came with run.
    """

    id: Id
    name: Name
    media: MediaHash
    kind: Literal["svg", "gltf", "image"]
    plays: bool = True


class Scene(Frozen, frozen=True):
    """Parts in drawing order, children after their parents.

    Attributes:
        kind: '2d' is a stage of a size in pixels; '3d' is in metres with y up, and the size is that of its picture.
        files: what parts were brought in with.
        follows: the properties that follow others.
        limits: the ranges that properties never leave.
        selections: parts that were chosen together and given a name.
        floor: whether a 3D scene is shown on a floor.
        studio_light: what a 3D scene is looked at by; None leaves it to whether the scene has a light of its own.
    """

    name: Name
    kind: Literal["2d", "3d"] = "2d"
    width: Annotated[int, Field(ge=16, le=16_384)] = 1920
    height: Annotated[int, Field(ge=16, le=16_384)] = 1080
    background: Colour = "#0e1b18"
    floor: bool = True
    studio_light: StudioLight | None = None
    parts: Annotated[tuple[Part, ...], Most(MOST_PARTS)] = ()
    files: Annotated[tuple[SceneFile, ...], Most(200)] = ()
    follows: Annotated[tuple[Follow, ...], Most(5000)] = ()
    limits: Annotated[tuple[Limit, ...], Most(5000)] = ()
    selections: Annotated[tuple[Selection, ...], Most(MOST_SELECTIONS)] = ()

    @model_validator(mode="after")
    def _sound(self) -> Scene:
        assert self._checked
        return self

    @cached_property
    def _checked(self) -> bool:
        """Check it once: a scene goes through many documents, and this is called for each."""
        seen: set[str] = set()
        for part in self.parts:
            if part.id in seen:
                raise InvalidParameter("part id", value=part.id, allowed="an id that no other part has")
            if part.parent is not None and part.parent not in seen:
                raise InvalidParameter("parent", value=part.parent, allowed="a part that comes before its child")
            if part.kind.space != self.kind:
                raise InvalidParameter(part.name, value=part.kind.label, allowed=f"a part of a {self.kind} scene")
            for name, value in part.values.items():
                if (part.property(name).kind == "colour") != isinstance(value, str):
                    raise InvalidParameter(f"{part.id}:{name}", value=value, allowed=f"a {part.property(name).kind}")
            seen.add(part.id)
        check_shapers(self.parts)
        check_arrays(self.parts, self.follows)
        self._check_files()
        assert self.grounds is not None
        for limit in self.limits:
            if self.resolve(limit.target)[1].kind == "colour":
                raise InvalidParameter(str(limit.target), value="a colour", allowed="limits only on numbers")
        for selection in self.selections:
            if (gone := next((part for part in selection.parts if part not in seen), None)) is not None:
                raise InvalidParameter(f"the selection {selection.name}", value=gone, allowed="parts of the scene")
        return True

    @cached_property
    def lit(self) -> StudioLight:
        """The studio light as it is now: if nothing was decided, on while the scene has no light of its own."""
        own = any(part.kind.emits or part.kind.in_file == "light" for part in self.parts)
        return self.studio_light or StudioLight(on=not own)

    def _check_files(self) -> None:
        known = {None, *(file.id for file in self.files)}
        for part in self.parts:
            if (file := getattr(part.shape.params, "file", None)) not in known:
                raise InvalidParameter(f"the file of {part.name}", value=file, allowed="a file of the scene")

    @cached_property
    def grounds(self) -> Mapping[Target, Ground]:
        """What the properties stand on that other properties give."""
        return grounds_of(self)

    @property
    def at_rest(self) -> Scene:
        """The scene as it is seen while nothing moves, worked out anew: where other properties leave what they give."""
        return at_rest(self)

    @cached_property
    def media(self) -> frozenset[str]:
        """The hashes of the files that its parts come from."""
        return frozenset(file.media for file in self.files)

    def file(self, file_id: str) -> SceneFile:
        """Find a file, or raise UnknownName."""
        for file in self.files:
            if file.id == file_id:
                return file
        raise UnknownName(f"The scene has no file {file_id:.60}.", remedy="Bring it in again.", name=file_id)

    @cached_property
    def _limited(self) -> dict[Target, Limit]:
        return {limit.target: limit for limit in self.limits}

    def follow_of(self, target: Target) -> Follow | None:
        """Give what a property follows, or None."""
        return next((follow for follow in self.follows if follow.target == target), None)

    def limit_of(self, target: Target) -> Limit | None:
        """Give a property's limits, or None."""
        return self._limited.get(target)

    @cached_property
    def _followers(self) -> dict[Target, list[Target]]:
        followers: dict[Target, list[Target]] = {}
        for target, ground in self.grounds.items():
            for source in ground.sources:
                followers.setdefault(source, []).append(target)
        return followers

    def followers(self, target: Target) -> Sequence[Target]:
        """List the properties that are made of one at first hand."""
        return self._followers.get(target, ())

    def branch(self, part_id: str) -> tuple[Part, ...]:
        """Give a part and all that moves with it, in order."""
        inside = {part_id}
        branch = []
        for part in self.parts:
            if part.id == part_id or part.parent in inside:
                inside.add(part.id)
                branch.append(part)
        return tuple(branch)

    def gatherings(self, part: Part) -> tuple[Part, ...]:
        """Give what an element of a drawing was put together in, the outermost first: it moves with each of them."""
        above: list[Part] = []
        while part.parent is not None and (part := self._by_id[part.parent]).kind.in_file == "gathering":
            above.insert(0, part)
        return tuple(above)

    def moved_with(self, part_id: str) -> tuple[Part, ...]:
        """List the elements of a drawing that move with what they were put together in; none with any other part."""
        if self._by_id[part_id].kind.in_file != "gathering":
            return ()
        return tuple(
            item
            for item in self.branch(part_id)
            if item.kind.in_file == "element" and part_id in {one.id for one in self.gatherings(item)}
        )

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
            words = f"The scene has no part named {part_id:.60}."
            raise UnknownName(words, remedy=f"Use one of: {', '.join(self._by_id)}.", name=part_id) from None

    def resolve(self, target: Target) -> tuple[Part, Property]:
        """Find what a target names.

        Raises:
            UnknownName: there is no such part or property.
        """
        return (part := self.part(target.part)), part.property(target.property)

    @cached_property
    def _places(self) -> dict[tuple[str, str], int]:
        return {name: n for n, name in enumerate((part.id, item.id) for part in self.parts for item in part.properties)}

    def place(self, target: Target) -> int:
        """Give a target's place among all properties, in drawing order."""
        return self._places[target.part, target.property]
