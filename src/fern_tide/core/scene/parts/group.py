"""Group: parts that move together."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import Element, PartKind
from fern_tide.core.scene.properties import BLUR, PLACE


class GroupParams(Params):
    """A group has no shape of its own."""


def draw(params: GroupParams, part_id: str) -> Element:
    """Give an empty group; the scene puts the children in."""
    return Element("g", slot="own")


KIND = PartKind(
    id="group",
    label="Group",
    help="Parts that move together.",
    params=GroupParams,
    properties=(*PLACE, BLUR),
    draw=draw,
    holds=True,
)
