"""Nodes of curves: what each driven property does, frame by frame."""

from __future__ import annotations

from typing import Any

from fern_tide.core.bake.bake import VERSION, Stack
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.scene.arrays.field import ArrayParams


def curve_node(stack: Stack, lifts: tuple[Node, ...], source: Node | None, *, n_frames: int) -> Node:
    """Give the node of a property's values, shape (frames,), or (3, frames) for a colour.

    Args:
        stack: what gives the property its values.
        lifts: of its drivers' mappings, in their order.
        source: the curve that it follows.
        n_frames: the project's length.
    """

    def work(values: list[FloatArray], sources: Sources) -> FloatArray:
        followed = None if source is None else values[-1]
        return stack.values(values[: len(lifts)], source=followed, n_frames=n_frames)

    facts: dict[str, Any] = {
        "version": VERSION,
        "own": stack.own if stack.counts_own else None,
        "n_frames": n_frames,
        "drives": [_driver(stack, at) for at in range(len(stack.drivers))],
    }
    if stack.follow is not None:
        source_own = stack.source_own if stack.counts_own else None
        facts["follow"] = [stack.follow.model_dump(mode="json", exclude={"target"}), source_own]
    if is_of_pieces(stack.part, stack.item.id):
        facts["array"] = _array(stack)
    if stack.limit is not None:
        facts["limit"] = [stack.limit.low, stack.limit.high]
    name = f"{stack.part.name}, {stack.item.label.lower()}"
    inputs = lifts if source is None else (*lifts, source)
    return new_node(Kind.CURVE, str(stack.target), name=name, inputs=inputs, facts=facts, work=work)


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
