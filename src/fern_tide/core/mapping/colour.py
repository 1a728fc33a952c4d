"""Colours as text and as numbers, mixed in OKLab."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import StringConstraints

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray

Colour = Annotated[
    str, StringConstraints(pattern=r"^#[0-9a-f]{6}$", to_lower=True), unit("", "a colour such as #d9a431")
]
_HEX = re.compile(r"^#[0-9a-fA-F]{6}$")

# B. Ottosson, 'A perceptual color space for image processing' (2020): linear sRGB to cone response, and that to OKLab.
_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])


def parse_colour(text: str) -> FloatArray:
    """Read '#rrggbb' as sRGB from 0 to 1, shape (3,).

    Raises:
        InvalidParameter: the text is no such colour.
    """
    if not _HEX.match(text):
        raise InvalidParameter("colour", value=text, allowed="a colour such as #f7dfa0")
    return np.array([int(text[at : at + 2], 16) for at in (1, 3, 5)]) / 255.0


def colour_texts(srgb: FloatArray) -> list[str]:
    """Write sRGB of shape (3, frames) as one '#rrggbb' per frame, to the nearest of 256 steps."""
    steps = np.rint(np.clip(srgb, 0.0, 1.0) * 255).astype(np.int64)
    return [f"#{value:06x}" for value in ((steps[0] << 16) | (steps[1] << 8) | steps[2]).tolist()]


def mix_colours(rest: str, full: str, *, share: FloatArray) -> FloatArray:
    """Mix two colours in OKLab.

    Args:
        rest: the colour at share 0, exactly.
        full: the colour at share 1, exactly.
        share: shape (frames,); outside 0 to 1 the colour is clipped to what a screen shows.

    Returns:
        sRGB from 0 to 1, shape (3, frames).
    """
    start, end = parse_colour(rest), parse_colour(full)
    lab = _to_oklab(start)[:, np.newaxis] * (1.0 - share) + _to_oklab(end)[:, np.newaxis] * share
    mixed = np.clip(_from_oklab(lab), 0.0, 1.0)
    mixed[:, share == 0.0] = start[:, np.newaxis]
    mixed[:, share == 1.0] = end[:, np.newaxis]
    return mixed


def mix_gradient(colours: Sequence[str], *, places: Sequence[float], share: FloatArray) -> FloatArray:
    """Go through several colours, each two neighbours mixed in OKLab.

    Args:
        colours: two or more.
        places: the share at which each of them is met exactly, ascending from 0 to 1.
        share: any shape; outside 0 to 1 the first or the last two colours go on.

    Returns:
        sRGB from 0 to 1, shape (3, ...).
    """
    piece = np.clip(np.searchsorted(places, share, side="right") - 1, 0, len(colours) - 2)
    out = np.empty((3, *share.shape))
    for at in range(len(colours) - 1):
        inside = piece == at
        own = (share[inside] - places[at]) / (places[at + 1] - places[at])
        out[:, inside] = mix_colours(colours[at], colours[at + 1], share=own)
    return out


def mix_all(first: FloatArray, last: FloatArray, *, share: FloatArray) -> FloatArray:
    """Mix many pairs of colours in OKLab, each at a share of its own.

    Args:
        first: sRGB from 0 to 1 at share 0, shape (3, ...).
        last: at share 1, of the same shape.
        share: shape (...), 0 to 1.
    """
    pairs = [_to_oklab(colours.reshape(3, -1)) for colours in (first, last)]
    at = share.reshape(1, -1)
    return np.clip(_from_oklab(pairs[0] * (1.0 - at) + pairs[1] * at), 0.0, 1.0).reshape(first.shape)


def to_linear(srgb: FloatArray) -> FloatArray:
    """Turn sRGB from 0 to 1 into linear light (IEC 61966-2-1); any shape."""
    return np.where(srgb <= 0.04045, srgb / 12.92, ((np.maximum(srgb, 0.0) + 0.055) / 1.055) ** 2.4)


def luminance(srgb: FloatArray) -> FloatArray:
    """Give the relative luminance of sRGB of shape (3, ...), 0 to 1: linear light weighted as ITU-R BT.709 has it."""
    return np.tensordot(_LUMINANCE, to_linear(srgb), axes=1)


def to_srgb(linear: FloatArray) -> FloatArray:
    """Turn linear light into sRGB (IEC 61966-2-1); any shape."""
    positive = np.maximum(linear, 0.0)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * positive ** (1 / 2.4) - 0.055)


def _to_oklab(srgb: FloatArray) -> FloatArray:
    return np.asarray(_TO_LAB @ np.cbrt(_TO_CONES @ to_linear(srgb)), dtype=np.float64)


def _from_oklab(lab: FloatArray) -> FloatArray:
    return to_srgb(np.linalg.solve(_TO_CONES, np.linalg.solve(_TO_LAB, lab) ** 3))
