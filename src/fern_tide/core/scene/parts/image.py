"""Image: a picture that was brought in, whole or seen through a mask."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import Element, PartKind
from fern_tide.core.scene.parts.path import PathData
from fern_tide.core.scene.properties import BLUR, PLACE


class Mask(StrEnum):
    """What of a picture is seen."""

    NONE = "none"
    ELLIPSE = "ellipse"
    RECTANGLE = "rectangle"
    DRAWN = "drawn"


class ImageParams(Params):
    """The picture, where it lies, and its mask; the mask's numbers are in the scene's pixels."""

    file: Annotated[str, unit("", "The picture.", kind="file")] = ""
    x: Annotated[float, unit("px", "Its left edge.", step=1, label="Left")] = 0.0
    y: Annotated[float, unit("px", "Its top edge.", step=1, label="Top")] = 0.0
    width: Annotated[float, Field(gt=0), unit("px", "How wide it is.", step=1)] = 400.0
    height: Annotated[float, Field(gt=0), unit("px", "How tall it is.", step=1)] = 300.0
    mask: Annotated[Mask, unit("", "What of it is seen.")] = Mask.NONE
    mask_x: Annotated[float, unit("px", "The mask's middle, from the left.", step=1)] = 0.0
    mask_y: Annotated[float, unit("px", "The mask's middle, from the top.", step=1)] = 0.0
    mask_width: Annotated[float, Field(ge=0), unit("px", "How wide the mask is.", step=1)] = 200.0
    mask_height: Annotated[float, Field(ge=0), unit("px", "How tall the mask is.", step=1)] = 200.0
    soft: Annotated[float, Field(ge=0, le=500), unit("px", "How soft the mask's edge is.", step=1)] = 0.0
    outline: Annotated[PathData, unit("", "A drawn mask, as SVG path data.", kind="outline", label="Mask")] = ""


def _shape(params: ImageParams) -> Element:
    if params.mask is Mask.DRAWN:
        return Element("path", {"d": params.outline, "fill": "#ffffff"})
    half_w, half_h = params.mask_width / 2, params.mask_height / 2
    if params.mask is Mask.ELLIPSE:
        middle = {"cx": f"{params.mask_x:g}", "cy": f"{params.mask_y:g}", "rx": f"{half_w:g}", "ry": f"{half_h:g}"}
        return Element("ellipse", middle | {"fill": "#ffffff"})
    corner = {"x": f"{params.mask_x - half_w:g}", "y": f"{params.mask_y - half_h:g}"}
    size = {"width": f"{params.mask_width:g}", "height": f"{params.mask_height:g}"}
    return Element("rect", corner | size | {"fill": "#ffffff"})


def draw(params: ImageParams, part_id: str) -> Element:
    """Give a group with the picture in it, and its mask; the address 'media:ID' is filled in by who draws."""
    box = {name: f"{getattr(params, name):g}" for name in ("x", "y", "width", "height")}
    picture = Element("image", {**box, "href": f"media:{params.file}", "preserveAspectRatio": "none"})
    if params.mask is Mask.NONE:
        return Element("g", {}, (picture,), slot="own")
    shape = _shape(params)
    if params.soft:
        name = f"{part_id}--soft"
        blur = Element("filter", {"id": name}, (Element("feGaussianBlur", {"stdDeviation": f"{params.soft:g}"}),))
        shape = Element("g", {"filter": f"url(#{name})"}, (blur, shape))
    mask = Element("mask", {**box, "id": f"{part_id}--mask", "maskUnits": "userSpaceOnUse"}, (shape,))
    seen = Element("g", {"mask": f"url(#{part_id}--mask)"}, (picture,))
    return Element("g", {}, (mask, seen), slot="own")


def middle(params: ImageParams) -> tuple[ImageParams, tuple[float, float]]:
    """Give what shows only the picture's middle, through a soft ellipse, and where that is."""
    return params.but(mask=Mask.ELLIPSE, soft=6.0), (params.mask_x, params.mask_y)


KIND = PartKind(
    id="image",
    label="Image",
    help="A picture that was brought in, whole or seen through a mask.",
    params=ImageParams,
    properties=(*PLACE, BLUR),
    offered=False,
    draw=draw,
    shaped=True,
    middle=middle,
)
