"""Profiles: the axes, units, counts and names of a program that numbers are handed to.

The stage is y up and right-handed, in metres and degrees. With z up, a place (x, y, z) is written as (x, -z, y), and
turns and scales go with their axes. Left-handed is its mirror image along the axis that is neither x nor up: the place
on that axis, and turns about the two others, change their sign. Turns stay in the stage's order: about x, y, z of it.
"""

from __future__ import annotations

import json
from dataclasses import replace
from enum import StrEnum
from typing import Annotated, Any

import numpy as np
from pydantic import Field, StringConstraints

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.target import Target
from fern_tide.core.scene.scene import Scene

MOST_PROFILE_BYTES = 1 << 20
_KINDS = ("", "turn_", "scale_")


class Up(StrEnum):
    """Which axis points up."""

    Y = "y"
    Z = "z"


class Handed(StrEnum):
    """Which hand the axes make."""

    RIGHT = "right"
    LEFT = "left"


class LengthUnit(StrEnum):
    """What lengths in space are counted in."""

    METRES = "metres"
    CENTIMETRES = "centimetres"

    @property
    def in_a_metre(self) -> float:
        """How many of them a metre has."""
        return 100.0 if self is LengthUnit.CENTIMETRES else 1.0


class AngleUnit(StrEnum):
    """What turns are counted in."""

    DEGREES = "degrees"
    RADIANS = "radians"


class Decimal(StrEnum):
    """What stands before fractions; with a comma, columns are parted by semicolons."""

    POINT = "point"
    COMMA = "comma"


UpAxis = Annotated[Up, unit("", "Which axis points up there; the stage's is y.", label="Up axis")]
Lengths = Annotated[LengthUnit, unit("", "What lengths in space are counted in.")]


class SpaceParams(Params):
    """The up axis and lengths of the program that a scene is for, where its format has right-handed axes only."""

    up: UpAxis = Up.Y
    lengths: Lengths = LengthUnit.METRES


class AxesParams(Params):
    """The axes and units of the program that numbers are for."""

    up: UpAxis = Up.Y
    handed: Annotated[Handed, unit("", "Which hand its axes make; the stage's make a right one.", label="Axes")] = (
        Handed.RIGHT
    )
    lengths: Lengths = LengthUnit.METRES
    angles: Annotated[AngleUnit, unit("", "What turns are counted in.")] = AngleUnit.DEGREES


class TableParams(AxesParams):
    """The same, and how a table counts and what it calls its columns."""

    first_frame: Annotated[
        int, Field(ge=0, le=1_000_000), unit("", "The number of the first frame.", label="First frame")
    ] = 0
    names: Annotated[
        str,
        StringConstraints(max_length=20_000),
        unit("", "Names for columns: lamp:turn = LampTurn; rain:y = Fall.", kind="names"),
    ] = ""

    def name_of(self, target: Target) -> str:
        """Give what a property is called there."""
        return self._names.get(str(target), str(target))

    @property
    def _names(self) -> dict[str, str]:
        pairs = (pair.partition("=") for pair in self.names.split(";") if pair.strip())
        return {old.strip(): new.strip() for old, _, new in pairs if new.strip()}


def profiled(curves: tuple[Curve, ...], scene: Scene, params: Params) -> tuple[Curve, ...]:
    """Give curves as a program counts them; the same ones where the params are no profile.

    Args:
        curves: of the stage.
        scene: says which of them are in space.
        params: of a format.
    """
    if not isinstance(params, AxesParams):
        return curves
    return tuple(_curve(curve, scene, params) for curve in curves)


def is_plain(params: Params) -> bool:
    """Say whether params leave the stage's own axes and units."""
    return not isinstance(params, AxesParams) or all(
        getattr(params, name) == field.default for name, field in AxesParams.model_fields.items()
    )


def _curve(curve: Curve, scene: Scene, params: AxesParams) -> Curve:
    name, sign, factor, counted = curve.target.property, 1.0, 1.0, curve.unit
    if scene.kind == "3d":
        name, sign = turned_axis(name, up=params.up, handed=params.handed)
    if counted == "m" and params.lengths is LengthUnit.CENTIMETRES:
        factor, counted = params.lengths.in_a_metre, "cm"
    if counted == "°" and params.angles is AngleUnit.RADIANS:
        factor, counted = np.pi / 180, "rad"
    if (name, sign, factor) == (curve.target.property, 1.0, 1.0):
        return curve
    target = Target(part=curve.target.part, property=name)
    return replace(curve, target=target, values=curve.values * (sign * factor), unit=counted)


def turned_axis(name: str, *, up: Up, handed: Handed) -> tuple[str, float]:
    """Give what a property in space is called with other axes, and the sign of its numbers there."""
    kind = next((kind for kind in _KINDS[::-1] if name.startswith(kind)), "")
    axis = name.removeprefix(kind)
    if axis not in {"x", "y", "z"}:
        return name, 1.0
    to, sign = (axis, 1.0) if up is Up.Y else {"x": ("x", 1.0), "y": ("z", 1.0), "z": ("y", -1.0)}[axis]
    if kind == "scale_":
        return f"{kind}{to}", 1.0
    mirrored = "z" if up is Up.Y else "y"
    if handed is Handed.LEFT and (to == mirrored) == (kind == ""):
        sign = -sign
    return f"{kind}{to}", sign


def read_profile(content: bytes) -> dict[str, str]:
    """Read a profile from JSON, as options of formats.

    Raises:
        FernTideError: it is no profile.
        InvalidParameter: something in it is not possible.
    """
    try:
        plain: Any = json.loads(content[:MOST_PROFILE_BYTES])
        if not isinstance(plain, dict):
            raise ValueError
    except ValueError as cause:
        raise FernTideError("This is no profile.", remedy='Use a JSON object, such as {"up": "z"}.') from cause
    known = TableParams.model_fields.keys() | {"decimal"}
    for name, value in plain.items():
        if name == "names" and isinstance(value, dict):
            plain[name] = "; ".join(f"{old} = {new}" for old, new in value.items())
        elif name not in known:
            raise InvalidParameter("profile", value=name, allowed=", ".join(sorted(known)))
    return {name: str(value) for name, value in plain.items()}
