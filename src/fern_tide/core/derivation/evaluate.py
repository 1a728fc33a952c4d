"""The values of nodes: only those are worked out that are not remembered."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np

from fern_tide.core.base.signal import frozen
from fern_tide.core.derivation.node import Kind, Node, Sources

REMEMBERED = frozenset(
    {Kind.READING, Kind.HITS, Kind.LEVEL, Kind.HISTOGRAM, Kind.LIFT, Kind.STACK, Kind.CURVE, Kind.KEYS}
)

_OF_THEIR_OWN = frozenset({Kind.HITS, Kind.KEYS})
"""Kinds whose values are no arrays."""


class Sized(Protocol):
    """A value that says how large it is: an array, or keys."""

    @property
    def nbytes(self) -> int:
        """How many bytes it takes."""


class Memory(Protocol):
    """Where values are remembered by fingerprint."""

    def get(self, key: str) -> Sized | None:
        """Give what is remembered, or None."""

    def put(self, node: Node, values: Sized) -> None:
        """Remember a value that was worked out."""


def evaluate(node: Node, *, sources: Sources, memory: Memory) -> Any:
    """Give a node's value, an array for most kinds; however long the way down to files is, it is gone step by step.

    Args:
        node: what is asked for.
        sources: give features, hits and beats, and files.
        memory: asked before anything is worked out, and told what was.

    Raises:
        FernTideError: a source does not have what is needed.
    """
    known: dict[str, Any] = {}
    way = [node]
    while way:
        at = way[-1]
        if at.fingerprint in known:
            way.pop()
            continue
        value = _recalled(at, sources, memory)
        if value is None:
            missing = [item for item in at.inputs if item.fingerprint not in known]
            if missing:
                way += reversed(missing)
                continue
            value = at.work([known[item.fingerprint] for item in at.inputs], sources)
            if at.kind in REMEMBERED and value is not None:
                value = value if at.kind in _OF_THEIR_OWN else frozen(np.ascontiguousarray(value))
                memory.put(at, value)
        known[at.fingerprint] = value
    return known[node.fingerprint]


def _recalled(node: Node, sources: Sources, memory: Memory) -> Any:
    """Give what is stored or remembered of a node, or None."""
    if node.subject is not None:
        return sources.feature(node) if node.kind is Kind.FEATURE else sources.rhythm(node)
    return memory.get(node.fingerprint) if node.kind in REMEMBERED else None
