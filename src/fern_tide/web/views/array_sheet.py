"""What the Stage shows of an array: its layout, order, spread and reaches, and what else each could be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.registry import Choice
from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.response import Response
from fern_tide.core.scene.arrays.field import LAYOUTS, ArrayParams
from fern_tide.core.scene.arrays.layout import Layout
from fern_tide.core.scene.arrays.reach import MOST_REACHES, REACHES, Reach
from fern_tide.core.scene.arrays.reach_shape import ReachShape
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.order_choice import ORDERS
from fern_tide.core.scene.ordering import Order
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.workflows.tune.sprays import hidden_early, left_by, parts_to_leave

_MOST_LISTED = 300
_MAKING = ("shuffled", "seed", "coloured")
_ORDERING = ("backwards", "both_ends")
_SPREADING = ("rows", "late_frames", "late_ms", "differs", "first", "last")


@dataclass(frozen=True)
class Naming:
    """A param by which a layout, or what it throws from, names a part.

    Attributes:
        path: where it is in the array.
        field: what it is.
        value: the part's id; '' for none.
    """

    path: str
    field: FieldSpec
    value: str


@dataclass(frozen=True)
class ArraySheet:
    """What the sheet of an array shows.

    Attributes:
        n_pieces: how many there are.
        n_sources: how many parts they are made from.
        new_reach: the edit that adds a reach; None where there are as many as can be.
        by_hand: whether the order is picked on the stage.
        is_thrown: whether the pieces fly.
        naming: what of the layout's params names a part; named are the parts that it can.
        leaving: the parts where drops can leave, of a spray; left where they do now.
        hidden_early: how many drops are in the air at its own rate and life, where that is more than are seen; or 0.
        making: the fields of what pieces are made from; ordering and spreading those of the order and the spread.
    """

    n_pieces: int
    n_sources: int
    layouts: Sequence[Layout]
    orders: Sequence[Order]
    reaches: Sequence[ReachShape]
    responses: Sequence[Response]
    new_reach: dict[str, Any] | None
    by_hand: bool
    is_thrown: bool
    naming: Sequence[Naming]
    named: Sequence[Part]
    leaving: Sequence[Part]
    left: Part | None
    hidden_early: int
    making: Sequence[FieldSpec]
    ordering: Sequence[FieldSpec]
    spreading: Sequence[FieldSpec]


def array_sheet(scene: Scene, part: Part) -> ArraySheet | None:
    """Give the sheet of an array; None for any other part."""
    params = part.shape.params
    if not isinstance(params, ArrayParams):
        return None
    known = {field.name: field for field in fields(ArrayParams)}
    layout: Layout = params.layout.spec
    is_thrown = layout.throws is not None
    used = {reach.slot for reach in params.reaches}
    free = next((slot for slot in range(1, MOST_REACHES + 1) if slot not in used), None)
    return ArraySheet(
        n_pieces=params.n_pieces,
        n_sources=len(sources_of(scene, part)),
        layouts=[item for item in LAYOUTS.values() if scene.kind == "3d" or item.flat is not None],
        orders=list(ORDERS.values()),
        reaches=list(REACHES.values()),
        responses=list(RESPONSES.values()),
        new_reach=None if free is None else _adds(part, Reach(slot=free)),
        by_hand=params.order.spec.by_hand,
        is_thrown=is_thrown,
        naming=_naming("shape.params.layout", params.layout),
        named=[] if layout.offers is None else layout.offers(scene, part)[:_MOST_LISTED],
        leaving=parts_to_leave(scene, part)[:_MOST_LISTED],
        left=left_by(scene, part),
        hidden_early=hidden_early(part, params.n_pieces) if is_thrown else 0,
        making=[known[name] for name in _MAKING],
        ordering=[known[name] for name in _ORDERING],
        spreading=[known[name] for name in _SPREADING],
    )


def _naming(path: str, chosen: Choice) -> list[Naming]:
    """List what names a part among the params of a choice, and of the choices that these hold."""
    naming = []
    for field in fields(type(chosen.params)):
        value, place = getattr(chosen.params, field.name), f"{path}.params.{field.name}"
        if field.kind == "part":
            naming.append(Naming(place, field, value))
        elif field.kind == "spec":
            naming += _naming(place, value)
    return naming


def _adds(part: Part, reach: Reach) -> dict[str, Any]:
    path, value = "shape.params.reaches", reach.model_dump(mode="json")
    return AddEntry(owner=Owner.PART, id=part.id, path=path, value=value).model_dump(mode="json")
