"""Keys of a baked curve: a node of the graph, worked out once."""

import numpy as np
from tests.core.derivation.documents import SOUNDS, Remembered

from fern_tide.core.bake.thin import thin
from fern_tide.core.derivation.evaluate import evaluate
from fern_tide.core.derivation.keys_nodes import baked_node, keys_node, range_of
from fern_tide.core.derivation.node import Kind


def test_keys_are_worked_out_once_for_a_curve_and_an_error():
    values = np.concatenate([np.zeros(30), np.linspace(0, 8, 20), np.full(30, 8.0)])
    memory, fingerprints = Remembered(), set()
    for digest, share in (("a", 0.01), ("a", 0.01), ("a", 0.1), ("b", 0.01)):
        node = keys_node(baked_node("lamp:turn", digest=digest, values=values), error_share=share)
        keys = evaluate(node, sources=SOUNDS, memory=memory)
        fingerprints.add(node.fingerprint)
        own = thin(values, tolerance=share * 8)
        assert keys.frames.tolist() == own.frames.tolist() and keys.values.tolist() == own.values.tolist()
        assert keys.error <= share * 8
    assert len(fingerprints) == 3 and sum(count for (kind, _), count in memory.worked.items() if kind is Kind.KEYS) == 3
    assert range_of(np.full(5, 2.0)) == range_of(np.zeros((3, 5))) == range_of(np.zeros(0)) == 1.0
    assert range_of(values) == 8.0
