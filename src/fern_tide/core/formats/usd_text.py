"""USD as text: attributes that stand or move, prims, and what a glTF file's parts are in them (OpenUSD, usda).

Linear time samples, one at each frame; a turn is a quaternion, between whose samples a player goes the shorter way.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from math import tan

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.container import Json, items_of

APERTURE = 24.0
"""A camera's vertical aperture, in tenths of a unit: its focal length follows from its angle of view."""
_SAMPLES = re.compile(r"#\s(/\S+)\n[^\n]*\.timeSamples = \{\n([^}]*)\}")
_MARKS = str.maketrans("()[],:", "      ")
_BAD = re.compile(r"[^A-Za-z0-9_]")
_LIGHTS = {"directional": "DistantLight", "point": "SphereLight", "spot": "SphereLight"}


def prim_name(name: str, place: int) -> str:
    """Give a name that a prim may have: letters, digits and low lines, with its place, so that each has one."""
    return f"{_BAD.sub('_', name) or 'node'}_{place}" if not name[:1].isdigit() else f"n_{_BAD.sub('_', name)}_{place}"


def text_of(text: str) -> str:
    """Write a string."""
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", " ") + '"'


def tuple_of(values: Sequence[float] | FloatArray) -> str:
    """Write one number, or several in brackets."""
    return _form(len(values)) % tuple(values)


def _form(width: int) -> str:
    """Give what so many numbers are written into."""
    return "%.9g" if width == 1 else f"({', '.join(['%.9g'] * width)})"


def rows_text(rows: npt.NDArray[np.float64]) -> str:
    """Write an array of tuples, shape (count, width), or of numbers, shape (count,)."""
    form = ", ".join([_form(rows.shape[1] if rows.ndim > 1 else 1)] * len(rows))
    return f"[{form % tuple(rows.ravel().tolist())}]"


def samples(name: str, pointer: str, rows: FloatArray, *, listed: bool = False) -> list[str]:
    """Write an attribute that moves, its values a frame, shape (width, frames), after a note of what it is.

    Args:
        name: its kind and name.
        pointer: what it is in the scene.
        rows: its values.
        listed: whether they are an array in every frame, and no tuple.
    """
    values_form = f"[{', '.join(['%.9g'] * len(rows))}]" if listed else _form(len(rows))
    form = f"    %d: {values_form},"
    lines = [form % (frame, *values) for frame, values in enumerate(rows.T.tolist())]
    return [f"# {pointer}", f"{name}.timeSamples = {{", *lines, "}"]


def read_samples(text: str) -> dict[str, FloatArray]:
    """Read all attributes that move, by what they are in the scene: shape (width, frames)."""
    return {pointer: _numbers(body) for pointer, body in _SAMPLES.findall(text)}


def _numbers(body: str) -> FloatArray:
    """Read the lines of one attribute, each a frame and its numbers, shape (width, frames)."""
    frames = body.count("\n")
    return np.fromstring(body.translate(_MARKS), sep=" ").reshape(frames, -1)[:, 1:].T


def attribute(name: str, value: Sequence[float]) -> str:
    """Write an attribute that stands."""
    return f"{name} = {tuple_of(value)}"


def indented(lines: Iterable[str]) -> list[str]:
    """Move lines in."""
    return [f"    {line}" for line in lines]


def prim(kind: str, name: str, lines: Iterable[str], *, about: Sequence[str] = ()) -> list[str]:
    """Write a prim with what is in it; about is its metadata."""
    return [*_with(f"def {kind} {text_of(name)}", about), "{", *indented(lines), "}"]


def _with(head: str, about: Sequence[str]) -> list[str]:
    """Write something with its metadata, a line each: simple readers know them only so."""
    return [f"{head} (", *indented(about), ")"] if about else [head]


def of_points(kind: str, rows: FloatArray, *, about: Sequence[str] = ()) -> list[str]:
    """Write what each point of a mesh has; about is more of its metadata."""
    return _with(f"{kind} = {rows_text(rows)}", [*about, 'interpolation = "vertex"'])


def focal_length(angle: float) -> float:
    """Give a camera's focal length, of its vertical angle of view in radians."""
    return APERTURE / 2 / tan(angle / 2)


def primvar(coordinates: int) -> str:
    """Name the texture coordinates of a mesh: of TEXCOORD_0 'st', of TEXCOORD_1 'st1'."""
    return f"st{coordinates or ''}"


def light_kind(light: Json) -> str:
    """Give the kind of prim that a light is."""
    return _LIGHTS.get(str(light.get("type")), "SphereLight")


def lights_of(document: Json) -> list[Json]:
    """List the lights of a file."""
    extension = document.get("extensions", {}).get("KHR_lights_punctual", {})
    return items_of(extension, "lights") if extension else []
