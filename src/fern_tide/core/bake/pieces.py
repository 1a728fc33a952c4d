"""The values of an array's pieces, by formula: each has a row, lateness, weight and reach of its own.

    v_i(k) = rest + w(p_i) r_i(k) (1 + a n_i) f(u_bi(k - late_i)) (full - rest)

as SIGNAL has it under 'Many pieces', worked out when it is asked for. What a curve holds of a piece property is the
array's lead: a piece of rank 0 whose weight and reach are 1.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fern_tide.core.bake.bake import Stack, laid_over
from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import value
from fern_tide.core.scene.arrays.field import ArrayParams, Between, Pieces, Places, pieces_of
from fern_tide.core.scene.arrays.inside import PREFIX
from fern_tide.core.scene.arrays.layout import completed
from fern_tide.core.scene.arrays.reach import Reach, joined
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.arrays.throw import Flights, Throw, flights, still_flights
from fern_tide.core.scene.scene import Part, Scene

_AT_ONCE = 1 << 21  # values worked on at once, so that memory does not grow with the pieces


def is_of_pieces(part: Part, name: str) -> bool:
    """Say whether a property of a part is one of its pieces."""
    return part.kind.pieces and name.startswith(PREFIX)


def can_be_touched(scene: Scene, target: Target) -> bool:
    """Say whether a property is there, and is not one of an array's pieces, which have no curve of their own."""
    try:
        part, item = scene.resolve(target)
    except UnknownName:
        return False
    return not is_of_pieces(part, item.id)


@dataclass(frozen=True)
class ArrayMotion:
    """An array, and how its layout and reaches move.

    Attributes:
        part: the array.
        n_sources: how many parts its pieces are made from.
        curves: the values of its driven sizes and reaches, by property, each of shape (frames,).
        rate: the project's frame rate.
        n_frames: the project's length.
    """

    part: Part
    n_sources: int
    curves: Mapping[str, FloatArray]
    rate: FrameRate
    n_frames: int

    @property
    def params(self) -> ArrayParams:
        """The array's own."""
        params = self.part.shape.params
        assert isinstance(params, ArrayParams)
        return params

    @cached_property
    def pieces(self) -> Pieces:
        """What follows from its params alone."""
        return pieces_of(self.params, sizes=self.own_sizes, n_sources=self.n_sources, space=self.part.kind.space)

    @property
    def own_sizes(self) -> dict[str, float]:
        """The layout's sizes where nothing drives them."""
        sizes = self.params.layout.spec.sizes_of(self.part.kind.space)
        return {size.id: float(self.part.own(size.id)) for size in sizes}

    @property
    def late_frames(self) -> float:
        """How much later than the first the last piece moves, in frames."""
        return self.params.late_frames + self.params.late_ms / 1000.0 * self.rate.per_second

    def places(self, which: Places) -> FloatArray:
        """Give where pieces stand, shape (3, pieces, frames), or (3, pieces, 1) where no size is driven."""
        thrown = self.flights(which)
        if thrown is not None:
            return thrown.places
        fixed = self.pieces.laid.fixed
        total = np.zeros((3, len(which), 1)) if fixed is None else fixed[which].T[:, :, np.newaxis]
        for name, way in self.pieces.laid.ways.items():
            size = self.curves.get(name, np.array([float(self.part.own(name))]))
            total = total + way[which].T[:, :, np.newaxis] * size
        return total

    def flights(self, which: Places) -> Flights | None:
        """Give where pieces fly that are thrown, and how large they are; None of pieces that stand.

        Without frames they are as they would be after a life of standing still.
        """
        throws = self.params.layout.spec.throws
        if throws is None:
            return None
        throw: Throw = throws(self.params.layout.params, flat=self.part.kind.space == "2d")
        if not self.n_frames:
            return still_flights(throw, self.own_sizes, which)
        driven = {name: self.curves.get(name, np.full(self.n_frames, own)) for name, own in self.own_sizes.items()}
        return flights(throw, driven, which, fps=self.rate.per_second)

    def reach(self, which: Places) -> FloatArray | None:
        """Give how much of their motion pieces have, shape (pieces, frames or 1); None without a reach."""
        reaches = self.params.reaches
        if not reaches:
            return None
        places = self.places(which)
        return joined([(reach, reach.shares(places, self._values(reach))) for reach in reaches])

    def _values(self, reach: Reach) -> dict[str, FloatArray]:
        names = [item.id for item in reach.properties(self.part.kind.space)]
        return {name: self.curves.get(name, np.array([float(self.part.own(name))])) for name in names}

    def gains(self, which: Places) -> FloatArray:
        """Give w (1 + a n) of pieces, shape (pieces,)."""
        return np.asarray(self.pieces.weights[which] * (1.0 + self.params.differs * self.pieces.differences[which]))


def motion_of(
    scene: Scene, part: Part, curves: Mapping[str, FloatArray], *, rate: FrameRate, n_frames: int
) -> ArrayMotion:
    """Give the motion of an array of a scene; see ArrayMotion."""
    whole = completed(scene, part)
    return ArrayMotion(whole, len(sources_of(scene, part)), curves, rate, n_frames)


def piece_values(
    motion: ArrayMotion, stack: Stack, lifts: Sequence[FloatArray], *, which: Places | None = None
) -> FloatArray:
    """Give the values of one property of pieces.

    Args:
        motion: the array's.
        stack: what gives the property its values.
        lifts: of its drivers' mappings, in their order, shape (frames,), or (rows, frames) where spread.
        which: the pieces by their places; None is all of them.

    Returns:
        Shape (pieces, frames), or (3, pieces, frames) for a colour; float64.
    """
    which = np.arange(motion.pieces.n_pieces) if which is None else which
    colour = stack.item.kind == "colour"
    out = np.empty((3, len(which), motion.n_frames) if colour else (len(which), motion.n_frames))
    for some in _portions(len(which), motion.n_frames):
        out[..., some, :] = _portion(motion, stack, lifts, which[some])
    return out


def _portions(n_pieces: int, n_frames: int) -> Iterator[slice]:
    step = max(1, _AT_ONCE // max(1, n_frames))
    return (slice(at, at + step) for at in range(0, n_pieces, step))


def _portion(motion: ArrayMotion, stack: Stack, lifts: Sequence[FloatArray], which: Places) -> FloatArray:
    reach, gains = motion.reach(which), motion.gains(which)[:, np.newaxis]
    shares = gains if reach is None else gains * reach
    total: FloatArray | None = None
    for (_, drive), lift in zip(stack.drivers, lifts, strict=True):
        own = own_lifts(motion, lift, which, late_frames=drive.late_frames)
        total = laid_over(total, value(own, drive=drive, shares=shares), drive=drive, own=stack.own)
    if total is None:
        total = _still(stack.own, len(which), motion.n_frames)
    return total if stack.limit is None else stack.limit.hold(total)


def own_lifts(motion: ArrayMotion, lift: FloatArray, which: Places, *, late_frames: float = 0.0) -> FloatArray:
    """Give the lift of pieces: each its own row, as late as it is; before frame 0 nothing moves.

    Args:
        motion: the array's.
        lift: shape (frames,), or (rows, frames).
        which: the pieces.
        late_frames: how late all of them are.

    Returns:
        Shape (pieces, frames).
    """
    n_frames, rows = lift.shape[-1], np.atleast_2d(lift)
    at = motion.pieces.ranks[which] * (len(rows) - 1)
    if motion.params.rows is Between.NEAREST:
        at = np.floor(at + 0.5)
    low = np.minimum(np.floor(at).astype(np.int64), len(rows) - 1)
    between = at - low
    late = motion.pieces.ranks[which] * motion.late_frames + late_frames
    whole = np.floor(late)
    part = late - whole
    far = min(int(np.abs(whole).max(initial=0.0)) + 1, n_frames + 1)
    first = np.clip(whole, -far, far).astype(np.int64)
    padded = np.concatenate(
        [np.zeros((len(rows), far + 1)), rows, np.repeat(rows[:, -1:], far, axis=1)], axis=1
    )  # rest before the first frame; the last value goes on
    out = np.empty((len(which), n_frames))
    for piece, (row, share, start, fraction) in enumerate(
        zip(low.tolist(), between.tolist(), (far + 1 - first).tolist(), part.tolist(), strict=True)
    ):
        now = _blend(padded, row, share, start, n_frames)
        if fraction:
            now = now * (1.0 - fraction) + _blend(padded, row, share, start - 1, n_frames) * fraction
        out[piece] = now
    return out


def _blend(rows: FloatArray, row: int, share: float, start: int, n_frames: int) -> FloatArray:
    """Give a stretch of what lies between a row and the next."""
    one = rows[row, start : start + n_frames]
    return one if not share else one * (1.0 - share) + rows[row + 1, start : start + n_frames] * share


def _still(own: float | str, n_pieces: int, n_frames: int) -> FloatArray:
    if isinstance(own, str):
        return np.broadcast_to(parse_colour(own)[:, np.newaxis, np.newaxis], (3, n_pieces, n_frames))
    return np.full((n_pieces, n_frames), own)
