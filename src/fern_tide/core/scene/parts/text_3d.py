"""Text: one line of words, cut out of a sheet."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.lettering import lettering
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.parts.text import Font
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class Text3dParams(Params):
    """What it says, how large, and how thick, in metres."""

    words: Annotated[str, StringConstraints(min_length=1, max_length=120), unit("", "What it says.", kind="words")] = (
        "Text"
    )
    size: Annotated[float, Field(gt=0, le=100), unit("m", "How large the letters are.", step=0.05)] = 0.5
    thickness: Annotated[float, Field(gt=0, le=100), unit("m", "How thick they are.", step=0.01)] = 0.05
    font: Annotated[Font, unit("", "Which of the fonts that ship with the application.")] = Font.SERIF


def solid(params: Text3dParams) -> Mesh:
    """Give its mesh; the line on which the letters stand is y = 0."""
    return lettering(params.words, font=params.font, size=params.size, thickness=params.thickness)


KIND = PartKind(
    id="text_3d",
    label="Text",
    help="One line of words, cut out of a sheet.",
    params=Text3dParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    writes=lambda params: True,
    solid=solid,
    channels=SOLID_CHANNELS,
)
