"""What a reach is: a region outside which the motion of an array's pieces fades."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.drive import RESPONSES, ResponseChoice
from fern_tide.core.scene.arrays import reaches as reaches_folder
from fern_tide.core.scene.arrays.reach_shape import Measure, ReachShape
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.rotation import matrices, quaternions

MOST_REACHES = 8
SHARP = 1e-9
"""Inner and outer sizes that lie no farther apart are one sharp edge, in metres or pixels."""


REACHES = discover(reaches_folder, attribute="REACH", of=ReachShape, kind="shape of a reach")


class ReachChoice(Choice):
    """A shape of a reach."""

    registry: ClassVar[Registry[ReachShape]] = REACHES


class Fading(Frozen, frozen=True):
    """A region outside which motion fades. Where it is, how it is turned and how large it is are properties.

    Attributes:
        shape: what it covers.
        away: whether it takes motion away inside, rather than giving it.
        easing: how motion fades from the inner size to the outer.
    """

    shape: ReachChoice = ReachChoice(id="ball")
    away: bool = False
    easing: ResponseChoice = ResponseChoice(id="smooth")

    def name(self, what: str) -> str:
        """Give the name of one of its properties, such as outer."""
        return what

    def label(self, words: str) -> str:
        """Give what people read of one of them."""
        return words.capitalize()

    def properties(self, space: str) -> tuple[Property, ...]:
        """List its properties in a kind of scene."""
        unit, one = ("m", 1.0) if space == "3d" else ("px", 100.0)
        axes = ("x", "y", "z") if space == "3d" else ("x", "y")
        words = dict(zip(axes, ("across", "up" if space == "3d" else "down", "towards you"), strict=False))

        def length(what: str, label: str, default: float, low: float | None = None) -> Property:
            return Property(
                self.name(what), self.label(label), unit, default=default * one, low=low, step=0.01 * one, swing=one
            )

        items = [length(axis, words[axis], 0.0) for axis in axes]
        shape: ReachShape = self.shape.spec
        if shape.sized:
            items += [length(f"size_{axis}", f"half {words[axis]}", 1.0, low=0.0) for axis in axes]
            items += [
                Property(self.name(what), self.label(what), "x", default=default, low=0.0, swing=1.0)
                for what, default in (("inner", 0.5), ("outer", 1.0))
            ]
        else:
            items += [length("inner", "inner", 0.2), length("outer", "outer", 1.0)]
        if shape.turned:
            turns = ("turn_x", "turn_y", "turn_z") if space == "3d" else ("turn_z",)
            items += [
                Property(self.name(turn), self.label(f"turn about {turn[-1]}"), "°", step=0.5, swing=45.0)
                for turn in turns
            ]
        return tuple(items)

    def shares(self, places: FloatArray, values: Mapping[str, FloatArray]) -> FloatArray:
        """Give how much of their motion pieces have by this reach alone, 0 to 1: e(clip((out - d) / (out - in), 0, 1)).

        Args:
            places: where the pieces stand, shape (3, pieces, frames or 1).
            values: of its properties, by their names, each of shape (frames or 1,).
        """
        inner, outer = values[self.name("inner")], values[self.name("outer")]
        apart = outer - inner
        away = self._distances(places, values)
        sharp = np.abs(apart) < SHARP
        soft = np.clip((outer - away) / np.where(sharp, 1.0, apart), 0.0, 1.0)
        inside = np.where(sharp, away <= outer, soft)
        eased: FloatArray = RESPONSES[self.easing.id].apply(inside, params=self.easing.params)
        return eased

    def _distances(self, places: FloatArray, values: Mapping[str, FloatArray]) -> FloatArray:
        shape: ReachShape = self.shape.spec
        zero = np.zeros(1)
        centre = np.stack(np.broadcast_arrays(*(values.get(self.name(axis), zero) for axis in "xyz")))
        seen = places - centre[:, np.newaxis]
        if shape.turned:
            names = [self.name(f"turn_{axis}") for axis in "xyz"]
            turns = np.stack(np.broadcast_arrays(*(values.get(name, zero) for name in names)))
            rotation = matrices(quaternions(turns))  # (3, 3, frames or 1): its columns are the reach's own axes
            seen = (rotation[:, :, np.newaxis] * seen[:, np.newaxis]).sum(axis=0)
        if shape.measure is Measure.HEIGHT:
            return np.asarray(seen[1])
        if shape.measure is Measure.LENGTH:
            return np.asarray(np.sqrt((seen**2).sum(axis=0)))
        sizes = [values.get(self.name(f"size_{axis}")) for axis in "xyz"]
        return np.asarray(
            np.max(
                [
                    np.abs(along) / np.maximum(size, 1e-9)
                    for along, size in zip(seen, sizes, strict=True)
                    if size is not None
                ],
                axis=0,
            )
        )


class Reach(Fading, frozen=True):
    """A region of an array; its properties are the array's.

    Attributes:
        slot: which of the array's reaches it is: its properties are named by it, and stay its own when others go.
    """

    slot: Annotated[int, Field(ge=1, le=MOST_REACHES)]

    def name(self, what: str) -> str:
        """Give the name of one of its properties, such as reach1_outer."""
        return f"reach{self.slot}_{what}"

    def label(self, words: str) -> str:
        """Give what people read of one of them."""
        return f"Reach {self.slot}: {words}"


def joined(shares: Sequence[tuple[Fading, FloatArray]]) -> FloatArray | None:
    """Join what several reaches give: those that give add up to at most 1, one that takes away multiplies by 1 - r.

    Args:
        shares: each reach with its own, shape (pieces, frames or 1).

    Returns:
        Shape (pieces, frames or 1); None where there are none.
    """
    giving = [share for reach, share in shares if not reach.away]
    total: FloatArray | None = np.minimum(np.sum(np.broadcast_arrays(*giving), axis=0), 1.0) if giving else None
    for reach, share in shares:
        if reach.away:
            total = (1.0 if total is None else total) * (1.0 - share)
    return total
