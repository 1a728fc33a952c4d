"""Sound graphic: a spectrum or a waveform as a mesh, each level a morph target of it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.graphic import MOST_POINTS, GraphicForm, level_properties
from fern_tide.core.scene.graphic import solid as graphic_solid
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.part import SOLID_CHANNELS, Channel, Form, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE, Property


class SoundGraphic3dParams(Params):
    """How many levels, drawn how, and how large, in metres."""

    form: Annotated[GraphicForm, unit("", "How the levels are drawn.")] = GraphicForm.BARS
    points: Annotated[int, Field(ge=2, le=MOST_POINTS), unit("", "How many levels it has.")] = 24
    width: Annotated[float, Field(gt=0), unit("m", "How wide it is; of a ring, its inner width.", step=0.05)] = 2.0
    height: Annotated[float, Field(gt=0), unit("m", "How far a full level reaches.", step=0.05)] = 0.6
    thickness: Annotated[float, Field(gt=0), unit("m", "Of its bars, or of its band.", step=0.01)] = 0.04


def more(params: SoundGraphic3dParams) -> tuple[Property, ...]:
    """Give its levels."""
    return level_properties(params.points)


def _mesh(params: SoundGraphic3dParams) -> tuple[Mesh, FloatArray]:
    size = {"width": params.width, "height": params.height, "thickness": params.thickness}
    return graphic_solid(params.form, params.points, **size)


def solid(params: SoundGraphic3dParams) -> Mesh:
    """Give its mesh with all levels at 0."""
    return _mesh(params)[0]


def morphs(params: SoundGraphic3dParams) -> FloatArray:
    """Give what each level at 1 adds to the mesh, shape (points, vertices, 3)."""
    return _mesh(params)[1]


def more_channels(params: SoundGraphic3dParams) -> tuple[Channel, ...]:
    """Say where its levels show."""
    names = tuple(item.id for item in more(params))
    return (Channel("/nodes/{node}/weights", names, Form.WEIGHTS),)


KIND = PartKind(
    id="sound_graphic_3d",
    label="Sound graphic",
    help="A spectrum or a waveform as a mesh: a line, bars, a mirrored band or a ring.",
    params=SoundGraphic3dParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    more=more,
    solid=solid,
    morphs=morphs,
    channels=SOLID_CHANNELS,
    more_channels=more_channels,
)
