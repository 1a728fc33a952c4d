"""Nodes of curves: what each driven property does, frame by frame."""

from __future__ import annotations

from typing import Any

from fern_tide.core.bake.bake import VERSION, Stack
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.scene.arrays.field import ArrayParams


def curve_node(
    stack: Stack, lifts: tuple[Node, ...], sources: tuple[Node, ...], *, n_frames: int, kind: Kind = Kind.CURVE
) -> Node:
    """Give the node of a property's values, shape (frames,), or (3, frames) for a colour.

    Args:
        stack: what gives the property its values.
        lifts: of its drivers' mappings, in their order.
        sources: the curves that its stack is made of, in their order.
        n_frames: the project's length.
        kind: STACK for what touch-ups are laid over; its stack has no limit.
    """

    def work(values: list[FloatArray], files: Sources) -> FloatArray:
        return stack.values(values[: len(lifts)], sources=values[len(lifts) :], n_frames=n_frames)

    facts: dict[str, Any] = {
        "version": VERSION,
        "own": stack.own if stack.counts_own else None,
        "n_frames": n_frames,
        "drives": [_driver(stack, at) for at in range(len(stack.drivers))],
    }
    if stack.ground is not None:
        facts[stack.ground.kind] = stack.ground.facts
    if is_of_pieces(stack.part, stack.item.id):
        facts["array"] = _array(stack)
    if stack.reached:
        facts["reached"] = [None if one is None else one.facts for one in stack.reached]
    if stack.limit is not None:
        facts["limit"] = [stack.limit.low, stack.limit.high]
    name = f"{stack.part.name}, {stack.item.label.lower()}"
    return new_node(kind, str(stack.target), name=name, inputs=(*lifts, *sources), facts=facts, work=work)


def _array(stack: Stack) -> list[Any]:
    """Give what an array's pieces are like: its params, and where its layout and reaches stand."""
    params, own = stack.part.shape.params, stack.part.own
    assert isinstance(params, ArrayParams)
    names = [item.id for item in params.own_properties(stack.part.kind.space)]
    return [params.model_dump(mode="json"), {name: own(name) for name in names}]


def _driver(stack: Stack, at: int) -> dict[str, Any]:
    mapping, drive = stack.drivers[at]
    plain = drive.model_dump(mode="json", exclude={"target", "along", "other_way"})
    plain["version"] = drive.response.spec.version
    if mapping.spread:
        plain["place"] = str(mapping.rank_of(drive))  # among the rows
    return plain
