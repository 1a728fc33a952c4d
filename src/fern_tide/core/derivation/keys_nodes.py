"""Nodes of keys: a curve as it was baked, and the fewest keys that stay within a share of its range."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from fern_tide.core.bake.thin import Interpolation, Keys, every_frame, thin
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node

VERSION = 1


def baked_node(target: str, *, digest: str, values: FloatArray) -> Node:
    """Give the node of a curve that is stored: what it was made of then is behind its fingerprint.

    Args:
        target: the property, as 'lamp:turn'.
        digest: the fingerprint that it was baked under.
        values: shape (frames,), or (3, frames) for a colour.
    """
    return Node(Kind.CURVE, target, "", (), {}, digest, lambda inputs, sources: values)


def keys_node(curve: Node, *, error_share: float) -> Node:
    """Give the node of a curve's linear keys, whose value is Keys.

    Args:
        curve: the node of the curve.
        error_share: how far the keys may be from it, as a share of its range; see range_of. 0 is a key every frame.
    """

    def work(inputs: list[FloatArray], sources: Sources) -> Keys:
        (values,) = inputs
        if error_share == 0:
            every = every_frame(np.atleast_2d(values), interpolation=Interpolation.LINEAR)
            return every if values.ndim > 1 else replace(every, values=every.values[0], slopes=every.slopes[0])
        return thin(values, tolerance=error_share * range_of(values))

    facts = {"version": VERSION, "error_share": error_share}
    return new_node(Kind.KEYS, curve.id, inputs=(curve,), facts=facts, work=work)


def range_of(values: FloatArray) -> float:
    """Give what a share of error is of: a curve's range; 1 for colours and for a curve that stands still.

    Args:
        values: shape (frames,), or (3, frames) for a colour.
    """
    return float(np.ptp(values)) or 1.0 if values.ndim == 1 and values.size else 1.0
