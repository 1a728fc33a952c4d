"""Poses: how other parts stand, and how far they are from one pose to the next."""

from __future__ import annotations

from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.pose_params import BLENDING, PosesParams

KIND = PartKind(
    id="poses_3d",
    label="Poses",
    help="How other parts stand, and how far they are from one pose to the next.",
    params=PosesParams,
    properties=BLENDING,
    space="3d",
    offered=False,
    looks=False,
)
