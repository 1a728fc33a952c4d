"""Take turns: every hit goes to another side, or to the next of several items."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.moments import HitsAsTheyCome, HitSource, needs_hits, needs_markers
from fern_tide.core.mapping.step import Step, StepContext


class Turn(StrEnum):
    """What changes at a hit."""

    SIDE = "side"
    ITEM = "item"


class TakeTurnsParams(Params):
    """What changes, and how often."""

    changes: Annotated[Turn, unit("", "The side of rest, or an item that stays until the next.")] = Turn.SIDE
    items: Annotated[int, Field(ge=2, le=64), unit("", "How many there are in turn.")] = 2
    every: Annotated[int, Field(ge=1, le=64), unit("hits", "After how many hits it changes.")] = 1
    hits: Annotated[HitSource, unit("", "Rises over low water, the track's hits, or markers.")] = HitSource.MARKS


def take_turns(lift: FloatArray, *, params: TakeTurnsParams, context: StepContext) -> FloatArray:
    """Give each hit its turn.

    Args:
        lift: shape (..., frames).
        params: see TakeTurnsParams.
        context: the track's hits, where they count.

    Returns:
        The same shape. For 'side' lift times 1 for the first item to -1 for the last; for 'item' the item itself, from
        0 for the first to 1 for the last, whatever lift is.
    """
    return TakeTurns(params, context)(lift, context=context)


class TakeTurns:
    """Counts hits on from one stretch to the next."""

    def __init__(self, params: TakeTurnsParams, context: StepContext) -> None:
        self._params, self._hits = params, HitsAsTheyCome(params.hits)
        self._count: npt.NDArray[np.int64] | int = 0

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        params = self._params
        count = self._count + np.cumsum(self._hits(lift, context=context), axis=-1)
        self._count = count[..., -1:] if count.shape[-1] else self._count
        place = np.maximum(count - 1, 0) // params.every % params.items / (params.items - 1)
        return np.asarray(lift * (1.0 - 2.0 * place) if params.changes is Turn.SIDE else place)


STEP = Step(
    id="take_turns",
    label="Take turns",
    help="Goes to the other side, or to the next item, at every hit.",
    params=TakeTurnsParams,
    apply=take_turns,
    live=Live(TakeTurns),
    needs_hits=needs_hits,
    needs_markers=needs_markers,
)
