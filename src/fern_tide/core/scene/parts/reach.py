"""Reach: a region outside which parts that go by it move less; it is seen only here."""

from __future__ import annotations

from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.reach_params import ReachParams, fading


def more(params: ReachParams) -> tuple[Property, ...]:
    """Give where it is, how it is turned and how large it is."""
    return fading(params).properties("2d")


KIND = PartKind(
    id="reach",
    label="Reach",
    help="A region outside which parts that go by it move less; it is seen only here.",
    params=ReachParams,
    more=more,
    looks=False,
    fading=fading,
)
