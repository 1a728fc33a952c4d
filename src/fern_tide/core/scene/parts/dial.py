"""Dial: numbers of your own, without a look, to drive what is in no scene."""

from __future__ import annotations

from fern_tide.core.scene.dials import DialParams, more
from fern_tide.core.scene.part import PartKind

KIND = PartKind(
    id="dial",
    label="Dial",
    help="Numbers of your own, without a look, to drive what is in no scene.",
    params=DialParams,
    more=more,
    looks=False,
)
