"""USD as text: a 3D scene with its motion, a sample a frame (OpenUSD, .usda)."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.thin import Interpolation, Keys
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.channels import read_channel, spans_with_anchors
from fern_tide.core.formats.format import Format, HandOff, nine_digits
from fern_tide.core.formats.profile import SpaceParams
from fern_tide.core.formats.usd_scene import UsdScene, carries_property
from fern_tide.core.formats.usd_text import read_samples


class UsdParams(SpaceParams):
    """What points up, and what lengths are counted in; axes of USD are right-handed."""


def encode(hand_off: HandOff, params: SpaceParams) -> bytes:
    """Write the scene as text."""
    return UsdScene.of(hand_off, params).text().encode()


def read_back(content: bytes, hand_off: HandOff, params: SpaceParams) -> Mapping[Target, FloatArray]:
    """Read the samples of every channel, and turn them into values again."""
    return values_of(content, UsdScene.of(hand_off, params))


def values_of(content: bytes, scene: UsdScene) -> Mapping[Target, FloatArray]:
    """Give the values of every curve in a text, by the channels of the scene that it was written of."""
    read, curves, n_frames = read_samples(content.decode()), dict[Target, FloatArray](), scene.hand_off.n_frames
    for item in scene.moving.values():
        rows = scene.rows_of(item, read)
        if rows is not None and rows.shape[1] == n_frames:
            frames = np.arange(n_frames, dtype=np.int64)
            keys = Keys(frames, rows, np.zeros_like(rows), 0.0, Interpolation.LINEAR)
            curves |= read_channel(item, keys, n_frames=n_frames)
    return curves


FORMAT = Format(
    id="usd",
    label="USD",
    help="The 3D scene with its motion, as text for other programs.",
    params=UsdParams,
    extension=".usda",
    media_type="model/vnd.usda",
    loses=nine_digits,
    encode=encode,
    read_back=read_back,
    carries_property=carries_property,
    lacks="textures (USDZ has them), an emission strength that moves and what is packed",
    rounds_by=1e-5,
    spans=spans_with_anchors,
    spaces=("3d",),
)
