"""What a layout is: where the pieces of an array stand."""

from __future__ import annotations

from base64 import b64decode, b64encode
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.throw import Throw
from fern_tide.core.scene.properties import Property

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

MOST_PIECES = 250_000


class Throwing(Protocol):
    """Says how pieces fly, from a layout's params."""

    def __call__(self, params: Any, *, flat: bool) -> Throw:
        """Give what is thrown."""


@dataclass(frozen=True)
class Size:
    """A number of a layout that sound can drive, such as a gap or a radius.

    Attributes:
        id: the name of its property.
        label: what people read; flat_label in 2D, where that is another.
        default: what it is at first: a length in metres, of which a pixel of a 2D stage counts as a centimetre, or a
            number in its own unit.
        low: the least that means something, or None; high the greatest.
        unit: what it is counted in where it is no length.
        per: of a length: over what, such as /s.
        swing: how far a first mapping moves it, counted as the default is.
        space: the one kind of scene that it is of; '' for both.
    """

    id: str
    label: str
    default: float
    low: float | None = None
    high: float | None = None
    unit: str = ""
    per: str = ""
    swing: float = 1.0
    space: str = ""
    flat_label: str = ""

    def property(self, space: str) -> Property:
        """Give it as a property of an array in a kind of scene."""
        unit, one = ("m", 1.0) if space == "3d" else ("px", 100.0)
        if self.unit:
            unit, one = self.unit, 1.0
        return Property(
            self.id,
            self.flat_label if space == "2d" and self.flat_label else self.label,
            unit + self.per,
            default=round(self.default * one, 6),
            low=self.low,
            high=self.high,
            step=0.01 * one,
            swing=self.swing * one,
        )


@dataclass(frozen=True)
class Laid:
    """Where pieces stand, about the array's own middle: across, up (in 2D down), towards you.

    Each piece stands at the sum of the layout's sizes, each times the piece's way along it. So a size that moves from
    frame to frame costs one product.

    Attributes:
        ways: by the ids of the layout's sizes, shape (pieces, 3).
        turns: how each piece is turned about x, y and z, in degrees, shape (3, pieces); in 2D about z alone.
        fixed: what is added whatever the sizes are, shape (pieces, 3); None for nothing.
    """

    ways: Mapping[str, FloatArray]
    turns: FloatArray
    fixed: FloatArray | None = None

    @property
    def n_pieces(self) -> int:
        """How many there are."""
        return int(self.turns.shape[1])

    def places(self, sizes: Mapping[str, float]) -> FloatArray:
        """Give where the pieces stand at some sizes, shape (pieces, 3)."""
        total = np.zeros((self.n_pieces, 3)) if self.fixed is None else self.fixed.copy()
        for name, way in self.ways.items():
            total += sizes[name] * way
        return total


def _always(params: Any) -> bool:
    return True


@dataclass(frozen=True)
class Layout:
    """A way to lay pieces out.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on where pieces stand.
        params: the model of its options.
        sizes: its numbers that sound can drive.
        count: gives how many pieces there are.
        lay: gives where they stand.
        flat: gives where they stand in 2D, up still being up; None where the layout is one in space alone.
        throws: says how the pieces fly of which it is only given where they begin, in 2D where flat; None where they
            stand.
        given: completes its params by what else is in a scene, as its array counts it; None where they say all.
        is_open: says of params whether they are to be completed so.
        offers: lists the parts that its params can name.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    sizes: tuple[Size, ...]
    count: Callable[[Any], int]
    lay: Callable[[Any], Laid]
    flat: Callable[[Any], Laid] | None = None
    throws: Throwing | None = None
    given: Callable[[Scene, Part, Any], Params] | None = None
    is_open: Callable[[Any], bool] = _always
    offers: Callable[[Scene, Part], list[Part]] | None = None

    def sizes_of(self, space: str) -> tuple[Size, ...]:
        """List its numbers in a kind of scene."""
        return tuple(size for size in self.sizes if size.space in {"", space})


def upright(n_pieces: int) -> FloatArray:
    """Give the turns of pieces that are not turned, shape (3, pieces)."""
    return np.zeros((3, n_pieces))


def even(n: int, *, closed: bool = False) -> FloatArray:
    """Give n even shares, from 0 to 1 with both ends, or closed, where 1 is 0 again; 0 for one."""
    return np.arange(n) / max(1, n if closed else n - 1)


def on_a_stage(laid: Laid) -> Laid:
    """Give a layout as a 2D stage counts it: down counts downwards, and turns are clockwise."""
    down = np.array([1.0, -1.0, 0.0])
    turns = np.zeros_like(laid.turns)
    turns[2] = -laid.turns[2]
    fixed = None if laid.fixed is None else laid.fixed * down + 0.0
    return Laid({name: way * down + 0.0 for name, way in laid.ways.items()}, turns + 0.0, fixed)


def packed(values: FloatArray) -> str:
    """Give numbers as a text, for params that a scene completes."""
    return b64encode(np.ascontiguousarray(values, dtype="<f8").tobytes()).decode()


def unpacked(text: str) -> FloatArray:
    """Give the numbers of such a text, shape (numbers,)."""
    return np.frombuffer(b64decode(text), dtype="<f8")


def completed(scene: Scene, part: Part) -> Part:
    """Give an array whose layout's params are completed by its scene; any other part as it is.

    Args:
        scene: the scene, as it stands; what counts is where things are at rest.
        part: of it.
    """
    return completed_at(scene.at_rest, part) if is_open(part) else part


def is_open(part: Part) -> bool:
    """Say whether a part is an array whose layout's params do not say all by themselves."""
    layout = getattr(part.shape.params, "layout", None) if part.kind.pieces else None
    return layout is not None and layout.spec.given is not None and layout.spec.is_open(layout.params)


def completed_at(scene: Scene, part: Part) -> Part:
    """Give an array that is open as completed by a scene at rest."""
    params: Any = part.shape.params
    layout = params.layout
    full = layout.but(params=layout.spec.given(scene, part, layout.params))
    return part.but(shape=part.shape.but(params=params.but(layout=full)))
