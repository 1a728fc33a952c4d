"""Dial: numbers of your own, without a look, to drive what is in no scene."""

from __future__ import annotations

from fern_tide.core.scene.dials import DialParams, more
from fern_tide.core.scene.part import PartKind

KIND = PartKind(
    id="dial_3d",
    label="Dial",
    help="Numbers of your own, without a look, to drive what is in no scene.",
    params=DialParams,
    space="3d",
    more=more,
    looks=False,
)
