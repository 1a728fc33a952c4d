"""Where an animation that came with a glTF file takes a node."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import is_packed

_BETWEEN = 4  # points that stand for a span of a cubic spline


def translation_sampler(document: Json, node: int) -> Json | None:
    """Give the sampler of the first animation that moves a node from place to place; None where none does."""
    for animation in items_of(document, "animations"):
        for channel in items_of(animation, "channels"):
            target = channel["target"]
            if target.get("node") == node and target.get("path") == "translation":
                sampler: Json = animation["samplers"][channel["sampler"]]
                return sampler
    return None


def places_of(gltf: Gltf, node: int) -> tuple[FloatArray, bool]:
    """Give the places that an animation takes a node through, whatever their times.

    Args:
        gltf: the file.
        node: one that translation_sampler finds something for.

    Returns:
        Shape (places, 3), none where they are packed or some are missing; and whether it goes round corners smoothly.
    """
    sampler = translation_sampler(gltf.json, node)
    assert sampler is not None, node
    keys, times = _numbers(gltf, sampler["output"]).reshape(-1, 3), _numbers(gltf, sampler["input"]).ravel()
    cubic = sampler.get("interpolation") == "CUBICSPLINE"
    packed = any(is_packed(gltf, gltf.json["accessors"][sampler[end]]) for end in ("input", "output"))
    if packed or len(keys) != (3 if cubic else 1) * len(times):
        return np.zeros((0, 3)), cubic
    if not cubic:
        return keys, False
    into, at, out = (keys[place::3] for place in range(3))
    spans = np.diff(times)[:, np.newaxis, np.newaxis]
    t = (np.arange(_BETWEEN) / _BETWEEN)[np.newaxis, :, np.newaxis]
    first, last = at[:-1, np.newaxis], at[1:, np.newaxis]
    leave, arrive = spans * out[:-1, np.newaxis], spans * into[1:, np.newaxis]
    between = (  # glTF 2.0, appendix C.5
        (2 * t**3 - 3 * t**2 + 1) * first
        + (t**3 - 2 * t**2 + t) * leave
        + (-2 * t**3 + 3 * t**2) * last
        + (t**3 - t**2) * arrive
    )
    return np.concatenate([between.reshape(-1, 3), at[-1:]]), True


def _numbers(gltf: Gltf, index: int) -> FloatArray:
    return measured(values_of(gltf, index), gltf.json["accessors"][index])
