"""An array: its params, and what follows from them alone, piece by piece."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Annotated, ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.mapping.drive import RESPONSES, ResponseChoice
from fern_tide.core.scene.arrays import layouts as layouts_folder
from fern_tide.core.scene.arrays.layout import Laid, Layout, on_a_stage
from fern_tide.core.scene.arrays.reach import MOST_REACHES, Reach
from fern_tide.core.scene.order_choice import ORDERS, OrderChoice
from fern_tide.core.scene.properties import Property

LAYOUTS = discover(layouts_folder, attribute="LAYOUT", of=Layout, kind="layout")
Places = npt.NDArray[np.int64]
_REMEMBERED = 6  # arrays: a large one takes 30 MB


class LayoutChoice(Choice):
    """A layout and its params."""

    registry: ClassVar[Registry[Layout]] = LAYOUTS


class Between(StrEnum):
    """Which row of a bank a piece follows that lies between two."""

    BLENDED = "blended"
    NEAREST = "nearest"


class ArrayParams(Params):
    """Where pieces stand, which is first, and how the motion differs from one to the next."""

    layout: Annotated[LayoutChoice, unit("", "Where the pieces stand.", kind="spec")] = LayoutChoice(id="line")
    order: Annotated[OrderChoice, unit("", "Which piece is first.", kind="spec")] = OrderChoice(id="tree")
    backwards: Annotated[bool, unit("", "Whether the last piece is first.")] = False
    both_ends: Annotated[
        bool,
        unit("", "Whether the middle of the order is first, and both of its ends are last.", label="Middle first"),
    ] = False
    rows: Annotated[Between, unit("", "What a piece between two rows of a spread mapping follows.")] = Between.BLENDED
    late_frames: Annotated[
        float,
        Field(ge=-10_000, le=10_000),
        unit("frames", "How much later the last piece moves.", step=1, label="Late"),
    ] = 0.0
    late_ms: Annotated[
        float, Field(ge=-600_000, le=600_000), unit("ms", "The same, in time.", step=10, label="And late")
    ] = 0.0
    first: Annotated[
        float, Field(ge=-10, le=10), unit("x", "How much of the motion the first piece has.", step=0.05, label="First")
    ] = 1.0
    last: Annotated[
        float, Field(ge=-10, le=10), unit("x", "How much of the motion the last piece has.", step=0.05, label="Last")
    ] = 1.0
    between: Annotated[
        ResponseChoice, unit("", "How the share goes from the first piece to the last.", kind="spec")
    ] = ResponseChoice(id="straight")
    differs: Annotated[
        float, Field(ge=0, le=1), unit("", "By what share each piece's motion may be more or less.", step=0.05)
    ] = 0.0
    shuffled: Annotated[bool, unit("", "Whether what pieces are made from comes shuffled, not in turn.")] = False
    seed: Annotated[int, Field(ge=0, lt=2**31), unit("", "Another number shuffles and differs otherwise.")] = 1
    coloured: Annotated[bool, unit("", "Whether the array colours its pieces.", label="Colour the pieces")] = False
    reaches: Annotated[
        tuple[Reach, ...],
        Most(MOST_REACHES),
        unit("", "The regions outside which motion fades.", kind="reaches"),
    ] = ()

    @model_validator(mode="after")
    def _slots_once(self) -> ArrayParams:
        slots = [reach.slot for reach in self.reaches]
        if len(set(slots)) < len(slots):
            raise InvalidParameter("reach", value=max(slots, key=slots.count), allowed="a number that no other has")
        return self

    @property
    def n_pieces(self) -> int:
        """How many pieces there are."""
        spec: Layout = self.layout.spec
        return spec.count(self.layout.params)

    def own_properties(self, space: str) -> tuple[Property, ...]:
        """List what can be animated of the layout and of the reaches."""
        spec: Layout = self.layout.spec
        sizes = tuple(size.property(space) for size in spec.sizes_of(space))
        return (*sizes, *(item for reach in self.reaches for item in reach.properties(space)))


@dataclass(frozen=True)
class Pieces:
    """What follows from an array's params alone, piece by piece.

    Attributes:
        laid: where they stand.
        ranks: which is first, shape (pieces,), 0 to 1.
        weights: how much of the motion each has, shape (pieces,).
        differences: shape (pieces,), -1 to 1.
        sources: which of the parts that they are made from each is, shape (pieces,).
    """

    laid: Laid
    ranks: FloatArray
    weights: FloatArray
    differences: FloatArray
    sources: Places

    @property
    def n_pieces(self) -> int:
        """How many there are."""
        return self.laid.n_pieces


@lru_cache(maxsize=_REMEMBERED)
def _laid(layout: LayoutChoice, space: str) -> Laid:
    spec: Layout = layout.spec
    laid = spec.lay(layout.params) if space == "3d" else on_a_stage((spec.flat or spec.lay)(layout.params))
    for way in laid.ways.values():
        frozen(way)
    frozen(laid.turns)
    return laid


@lru_cache(maxsize=_REMEMBERED)
def _pieces(params: ArrayParams, sizes: tuple[tuple[str, float], ...], n_sources: int, space: str) -> Pieces:
    laid = _laid(params.layout, space)
    n, axes = laid.n_pieces, 3 if space == "3d" else 2
    ranks = ORDERS[params.order.id].ranks(laid.places(dict(sizes))[:, :axes], params.order.params)
    if params.both_ends:
        ranks = np.abs(2.0 * ranks - 1.0)
    if params.backwards:
        ranks = 1.0 - ranks
    shaped = RESPONSES[params.between.id].apply(ranks, params=params.between.params)
    weights = params.first + shaped * (params.last - params.first)
    drawn = np.random.Generator(np.random.PCG64(params.seed))
    differences = drawn.uniform(-1.0, 1.0, n)
    sources = drawn.integers(0, max(1, n_sources), n) if params.shuffled else np.arange(n) % max(1, n_sources)
    return Pieces(laid, frozen(ranks), frozen(weights), frozen(differences), sources)


def pieces_of(params: ArrayParams, *, sizes: Mapping[str, float], n_sources: int, space: str) -> Pieces:
    """Give what follows from an array's params, and from its sizes where nothing drives them.

    Args:
        params: of the array.
        sizes: the own values of the layout's sizes, by which the pieces are put in order.
        n_sources: how many parts the pieces are made from; 0 counts as one.
        space: 2d or 3d.
    """
    spec: Layout = params.layout.spec
    own = tuple((size.id, float(sizes[size.id])) for size in spec.sizes_of(space))
    return _pieces(params, own, n_sources, space)
