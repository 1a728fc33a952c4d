"""Pieces that are thrown: each flies in closed form from the moment at which it left.

Drop j = 1, 2, ... leaves at t_j, where the integral of the rate over time reaches j. From then on

    x = x_0 + v (t - t_j) + g (t - t_j)^2 / 2

until its life is over; piece (j - 1) mod M shows it (SIGNAL.md, 'Many pieces'). All that drives it is taken at t_j. So
any frame can be asked for alone, and a drop's way does not depend on the frame rate. Frame k is at k/r; between two
frames what drives it goes straight.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle
from fern_tide.core.scene.rotation import matrices, quaternions

N_KINDS = 8192
"""Drops that differ; then they come again."""
MOST_RATE = 100_000.0
_EVEN = 1e-9  # of a drop: what reaches a whole number but for rounding has reached it
Whole = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Throw:
    """What a layout throws, whatever drives it.

    Attributes:
        n_pieces: how many drops are seen at most; the oldest gives way.
        nozzle: what they leave from; nozzle_params its own options.
        flat: whether in 2D.
        seed: another number, other drops.
        uneven: by what share each drop's speed may be more or less.
        before_s: how long it has been running at the first frame.
        first_size: a drop's size as it leaves.
        last_size: at the end of its life.
    """

    n_pieces: int
    nozzle: Nozzle
    nozzle_params: Params
    flat: bool
    seed: int
    uneven: float
    before_s: float
    first_size: float
    last_size: float

    @cached_property
    def kinds(self) -> Kinds:
        """How drops differ, by the same seed always the same."""
        numbers = np.random.Generator(np.random.PCG64(self.seed)).random((N_KINDS, 5))
        places, out = (self.nozzle.flat if self.flat else self.nozzle.leave)(self.nozzle_params, numbers[:, :2])
        upward = np.abs(out[:, 1:2]) > 0.9
        aside = np.where(upward, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0])
        aside = aside - out * np.sum(aside * out, axis=1, keepdims=True)
        aside /= np.linalg.norm(aside, axis=1, keepdims=True)
        if self.flat:
            aside = np.stack([out[:, 1], -out[:, 0], np.zeros(N_KINDS)], axis=1)
        shares = np.stack([numbers[:, 2], numbers[:, 3], 2.0 * numbers[:, 4] - 1.0])
        return Kinds(places.T, out.T, aside.T, np.cross(out, aside).T, shares)


@dataclass(frozen=True)
class Kinds:
    """How drops differ, whatever drives them; up is y.

    Attributes:
        places: where they leave, of a nozzle one across, shape (3, kinds); out is the way out there, of length 1,
            aside and beyond are at right angles to it and to each other.
        shares: how far aside of the way out, and round it, 0 to 1, and how much faster, -1 to 1; shape (3, kinds).
    """

    places: FloatArray
    out: FloatArray
    aside: FloatArray
    beyond: FloatArray
    shares: FloatArray


@dataclass(frozen=True)
class Flights:
    """Where pieces are that were thrown.

    Attributes:
        places: shape (3, pieces, frames); of a piece without a drop where its next one will leave.
        sizes: how large they are, 0 without a drop, shape (pieces, frames).
        ages: shares of their lives, 0 to 1, shape (pieces, frames).
    """

    places: FloatArray
    sizes: FloatArray
    ages: FloatArray


@dataclass(frozen=True)
class Leaving:
    """When drops leave.

    Attributes:
        rate: drops a second at each frame, shape (frames,).
        fps: frames a second.
        before_s: how long it has been running at the first frame, at that frame's rate.
    """

    rate: FloatArray
    fps: float
    before_s: float

    @cached_property
    def steady(self) -> FloatArray:
        """The rate within what can be: 0 and up, shape (frames,)."""
        return np.clip(self.rate, 0.0, MOST_RATE)

    @cached_property
    def reached(self) -> FloatArray:
        """The integral of the rate at each frame, shape (frames,)."""
        rate = self.steady
        steps = (rate[:-1] + rate[1:]) / (2.0 * self.fps)
        return np.concatenate([[self.before_s * rate[0]], self.before_s * rate[0] + np.cumsum(steps)])

    @cached_property
    def counts(self) -> Whole:
        """How many drops have left at each frame, shape (frames,)."""
        return np.floor(self.reached + _EVEN).astype(np.int64)

    def times(self, drops: Whole) -> FloatArray:
        """Give when drops leave, in seconds, of drops from 1 to the last that leaves."""
        rate, reached = self.steady, self.reached
        after = np.clip(np.searchsorted(reached, drops - _EVEN) - 1, -1, len(rate) - 2)
        frame = np.maximum(after, 0)
        rest = np.maximum(drops - reached[frame], 0.0)
        slope = (rate[np.minimum(frame + 1, len(rate) - 1)] - rate[frame]) * self.fps
        root = np.sqrt(np.maximum(rate[frame] ** 2 + 2.0 * slope * rest, 0.0))
        within = 2.0 * rest / np.maximum(rate[frame] + root, 1e-300)  # of rate s + slope s^2/2 = rest
        first = np.maximum(rate[0], 1e-300)  # which went on before
        return np.asarray(np.where(after < 0, (drops - reached[0]) / first, frame / self.fps + within))


def flights(throw: Throw, driven: Mapping[str, FloatArray], which: Whole, *, fps: float) -> Flights:
    """Give where pieces are in every frame.

    Args:
        throw: what is thrown.
        driven: what drives it in every frame, each of shape (frames,): rate in drops a second, force, gravity (along
            -y; in 2D down), life in seconds, width, aim_z and in 3D aim_x in degrees, nozzle, from_x, from_y and in
            3D from_z.
        which: the pieces.
        fps: frames a second.
    """
    leaving = Leaving(driven["rate"], fps, throw.before_s)
    n_frames, every = len(leaving.counts), which[:, np.newaxis]
    counts = leaving.counts
    drops = counts - (counts - 1 - every) % throw.n_pieces
    now = np.arange(n_frames) / fps
    times = leaving.times(np.maximum(drops, 1))
    life = _at(driven["life"], times * fps)
    ages = (now - times) / np.maximum(life, 1e-9)
    flying = (drops >= 1) & (ages < 1.0)
    after = drops + throw.n_pieces
    waits = ~flying & (after <= counts[-1])
    drop = np.where(waits, after, np.maximum(drops, 1))
    times = np.where(waits, leaving.times(np.minimum(after, max(1, int(counts[-1])))), times)
    flown = np.clip(np.where(flying, now - times, 0.0), 0.0, None)
    given = {name: _at(curve, times * fps) for name, curve in driven.items() if name not in {"rate", "life"}}
    places = _flown(throw, given, (drop - 1) % N_KINDS, flown)
    ages = np.where(flying, np.clip(ages, 0.0, 1.0), 0.0)
    sizes = np.where(flying, throw.first_size + ages * (throw.last_size - throw.first_size), 0.0)
    return Flights(places, sizes, ages)


def still_flights(throw: Throw, own: Mapping[str, float], which: Whole) -> Flights:
    """Give where pieces are, in one frame, when all stood still as long as a drop lives: what a picture shows."""
    standing = {name: np.array([value]) for name, value in own.items()}
    return flights(replace(throw, before_s=own["life"]), standing, which, fps=1.0)


def _at(curve: FloatArray, frames: FloatArray) -> FloatArray:
    if not np.ptp(curve):
        return np.full(frames.shape, curve[0])
    return np.asarray(np.interp(frames, np.arange(len(curve)), curve))


def _flown(throw: Throw, given: Mapping[str, FloatArray], kind: Whole, flown: FloatArray) -> FloatArray:
    """Give places of drops, shape (3, ...).

    Args:
        throw: what is thrown.
        given: what drove them as they left, shape (...).
        kind: which of the kinds of drops they are.
        flown: how long they have flown, in seconds.
    """
    kinds = throw.kinds
    aside, round_it, faster = kinds.shares[:, kind]
    out, along, beyond = kinds.out[:, kind], kinds.aside[:, kind], kinds.beyond[:, kind]
    half = np.radians(given["width"]) / 2
    if throw.flat:
        angle = (2.0 * aside - 1.0) * half
        way = out * np.cos(angle) + along * np.sin(angle)
    else:
        height = 1.0 - aside * (1.0 - np.cos(half))
        away = np.sqrt(np.maximum(1.0 - height**2, 0.0))
        turn = 2 * np.pi * round_it
        way = out * height + away * (along * np.cos(turn) + beyond * np.sin(turn))
    speed = given["force"] * (1.0 + throw.uneven * faster)
    begin, way = kinds.places[:, kind], _aimed(throw, given, way)
    if not throw.nozzle.lies:
        begin = _aimed(throw, given, begin * given["nozzle"])
    down = np.array([0.0, 1.0 if throw.flat else -1.0, 0.0]).reshape(3, *[1] * flown.ndim)
    stands = np.stack([given.get(f"from_{axis}", np.zeros_like(flown)) for axis in "xyz"])
    return np.asarray(stands + begin + way * speed * flown + down * given["gravity"] * flown**2 / 2)


def _aimed(throw: Throw, given: Mapping[str, FloatArray], vectors: FloatArray) -> FloatArray:
    """Turn vectors whose up is y to where it is aimed; in 2D clockwise, and down is positive from then on."""
    if throw.flat:
        angle = np.radians(given["aim_z"])
        x, y = vectors[0], vectors[1]
        return np.stack([x * np.cos(angle) + y * np.sin(angle), x * np.sin(angle) - y * np.cos(angle), vectors[2]])
    turns = np.stack([given["aim_x"], np.zeros_like(given["aim_x"]), given["aim_z"]])
    rotation = matrices(quaternions(turns.reshape(3, -1))).reshape(3, 3, *turns.shape[1:])
    return np.asarray(np.einsum("ij...,j...->i...", rotation, vectors))
