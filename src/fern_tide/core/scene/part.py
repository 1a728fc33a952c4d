"""What a kind of part is, and a part."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from fern_tide.core.base.limits import MOST_VALUES, Most
from fern_tide.core.base.params import Frozen, Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id, Name
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.drive import Number
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.ride import Ride
from fern_tide.core.scene.shaping import MOST_SHAPERS, Shaping

if TYPE_CHECKING:
    from fern_tide.core.scene.arrays.reach import Fading


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


class Form(StrEnum):
    """How the numbers of a channel are made of its properties."""

    TRANSLATION = "translation"
    ROTATION = "rotation"
    SCALE = "scale"
    NUMBER = "number"
    RADIANS = "radians"
    COLOUR = "colour"
    COLOUR_ALPHA = "colour_alpha"
    PAIR = "pair"
    WEIGHTS = "weights"
    SHAPES = "shapes"


@dataclass(frozen=True)
class Channel:
    """Which place of a glTF file shows properties of a 3D part.

    Attributes:
        pointer: in the glTF 2.0 object model, such as '/nodes/{node}/translation'; names in braces are filled in
            from where the part lies in the file.
        names: the properties, in the order of the place's numbers.
        form: how the numbers are made.
    """

    pointer: str
    names: tuple[str, ...]
    form: Form


def _never(params: Any) -> bool:
    return False


def _no_params(x: float, y: float) -> Mapping[str, Any]:
    return {}


@dataclass(frozen=True)
class PartKind:
    """A kind of part.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is.
        params: the model of its geometry.
        properties: what can be animated.
        space: of which kind of scene it can be a part.
        offered: whether people make it by hand; imported parts come with their file.
        shaped: whether people change its geometry, copy it and put it into others; None is as offered.
        holds: whether other parts can be put into it.
        in_file: what it is of a file that was brought in: 'file', or an 'element' of an SVG, or a 'gathering' of
            such, or a 'node', 'material', 'light' or 'camera' of a glTF; '' for what is made here.
        emits: 3D: the type of light that it is in a glTF: 'point', 'spot' or 'directional'; '' for what is none.
        films: 3D: whether it is a camera.
        shines: 2D: whether it is light rather than a thing.
        writes: says of params whether it is words.
        hollow: 2D: says of params whether only its outline is seen.
        whole_file: says of params whether it stands for a whole file, which can be replaced by another.
        new_params: gives the geometry of a new one about a point of the stage, x and y; in 3D about the middle.
        new_values: the values that a new one has, so that it is seen, where they are not the properties' defaults.
        middle: of a picture, gives the params with which only its middle is seen, and where that is.
        more: properties that depend on the params, such as a mesh's morph targets.
        draw: 2D: gives its element from its params and an id; the slot 'own' is required.
        bindings: 2D: where properties other than place, opacity and blur show.
        path: 2D: gives the path data of its own element from its levels, where it has any.
        read_path: 2D: reads the levels back out of path data.
        solid: 3D: gives its mesh, in metres, its base on y = 0.
        morphs: 3D: gives what each of its levels adds to the mesh, shape (levels, vertices, 3).
        channels: 3D: where its properties show.
        more_channels: 3D: where those that depend on the params show.
        looks: whether it is seen at all; what is not is in no picture of the scene, and in no file of it.
        way: of what is only a way to move along: gives its curves, shape (curves, 4, 3), which may be none.
        vertices: of what came with a file, says how many vertices shapers can move, in 2D how many curves; 0 where they
            can move none.
        faces: 3D: of what came with a file, gives the corners of its triangles in its own metres, shape
            (triangles, 3, 3), from the file's hash and its params; those of a solid are its mesh's.
        fading: of a region outside which motion fades, gives that.
        pieces: whether it is many pieces; its params are those of an array (arrays/field.py).
    """

    id: str
    label: str
    help: str
    params: type[Params]
    properties: tuple[Property, ...] = ()
    space: Literal["2d", "3d"] = "2d"
    offered: bool = True
    shaped: bool | None = None
    holds: bool = False
    in_file: Literal["", "file", "element", "gathering", "node", "material", "light", "camera"] = ""
    emits: Literal["", "point", "spot", "directional"] = ""
    films: bool = False
    shines: bool = False
    writes: Callable[[Any], bool] = _never
    hollow: Callable[[Any], bool] = _never
    whole_file: Callable[[Any], bool] = _never
    new_params: Callable[[float, float], Mapping[str, Any]] = _no_params
    new_values: Mapping[str, float | str] = field(default_factory=dict)
    middle: Callable[[Any], tuple[Params, tuple[float, float]]] | None = None
    more: Callable[[Any], tuple[Property, ...]] | None = None
    draw: Callable[[Any, str], Element] | None = None
    bindings: tuple[Binding, ...] = ()
    path: Callable[[Any, FloatArray], str] | None = None
    read_path: Callable[[Any, str], FloatArray] | None = None
    solid: Callable[[Any], Mesh] | None = None
    morphs: Callable[[Any], FloatArray] | None = None
    channels: tuple[Channel, ...] = ()
    more_channels: Callable[[Any], tuple[Channel, ...]] | None = None
    looks: bool = True
    vertices: Callable[[Any], int] | None = None
    faces: Callable[[str, Any], FloatArray] | None = None
    fading: Callable[[Any], Fading] | None = None
    pieces: bool = False
    way: Callable[[Any], FloatArray] | None = None

    @property
    def is_shaped(self) -> bool:
        """Whether people change its geometry, copy it and put it into others."""
        return self.offered if self.shaped is None else self.shaped

    @property
    def is_piece(self) -> bool:
        """Whether pieces of an array can be made from it."""
        return self.looks and not self.pieces and (self.is_shaped or self.in_file == "node")


class Anchor(Frozen, frozen=True):
    """The point of a part that turning and scaling leave in place, and a word for it.

    In 2D it is in the pixels of what the part lies in; in 3D in the part's own metres, before its scale and turn.
    """

    x: Number = 0.0
    y: Number = 0.0
    z: Number = 0.0
    word: Annotated[str, Field(max_length=60)] = "centre"


class PartBase(Frozen, frozen=True):
    """What every part has; scene.py adds its kind.

    Attributes:
        id: the name in targets.
        name: what people read.
        parent: the part that this one moves with.
        anchor: where it turns and scales.
        values: its own values, where they are not the properties' defaults.
        ride: the way that it moves along, and how; None where it moves along none.
        shapers: what gives a solid or an outline another shape.
    """

    id: Id
    name: Name
    parent: Id | None = None
    anchor: Anchor = Anchor()
    values: Annotated[dict[Id, Number | Colour], Most(MOST_VALUES)] = Field(default_factory=dict)
    ride: Annotated[Ride | None, Field(exclude_if=lambda ride: ride is None)] = None
    shapers: Annotated[tuple[Shaping, ...], Most(MOST_SHAPERS), Field(exclude_if=lambda shapers: not shapers)] = ()


PAINT_BINDINGS = (
    Binding("fill", "own", "fill"),
    Binding("stroke", "own", "stroke"),
    Binding("stroke_width", "own", "stroke-width"),
)
PLACE_CHANNELS = (
    Channel("/nodes/{node}/translation", ("x", "y", "z"), Form.TRANSLATION),
    Channel("/nodes/{node}/rotation", ("turn_x", "turn_y", "turn_z"), Form.ROTATION),
    Channel("/nodes/{node}/scale", ("scale_x", "scale_y", "scale_z"), Form.SCALE),
)
SURFACE_CHANNELS = (
    Channel("/materials/{material}/pbrMetallicRoughness/baseColorFactor", ("colour", "opacity"), Form.COLOUR_ALPHA),
    Channel("/materials/{material}/pbrMetallicRoughness/metallicFactor", ("metallic",), Form.NUMBER),
    Channel("/materials/{material}/pbrMetallicRoughness/roughnessFactor", ("roughness",), Form.NUMBER),
    Channel("/materials/{material}/emissiveFactor", ("emission",), Form.COLOUR),
    Channel(
        "/materials/{material}/extensions/KHR_materials_emissive_strength/emissiveStrength",
        ("emission_strength",),
        Form.NUMBER,
    ),
)
LIGHT_CHANNELS = (
    Channel("/extensions/KHR_lights_punctual/lights/{light}/color", ("colour",), Form.COLOUR),
    Channel("/extensions/KHR_lights_punctual/lights/{light}/intensity", ("intensity",), Form.NUMBER),
)
_LIGHT = "/extensions/KHR_lights_punctual/lights/{light}"
RANGE_CHANNEL = Channel(_LIGHT + "/range", ("range",), Form.NUMBER)
CONE_CHANNELS = (
    Channel(_LIGHT + "/spot/innerConeAngle", ("inner_cone",), Form.RADIANS),
    Channel(_LIGHT + "/spot/outerConeAngle", ("outer_cone",), Form.RADIANS),
)
SOLID_CHANNELS = PLACE_CHANNELS + SURFACE_CHANNELS
LENS_CHANNELS = (Channel("/cameras/{camera}/perspective/yfov", ("field_of_view",), Form.RADIANS),)
