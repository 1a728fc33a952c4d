"""Paints of shapes in Lottie, with what moves in them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_gradients import Gradients
from fern_tide.core.formats.lottie_shapes import Item, group, matrix_transform, still, transform
from fern_tide.core.formats.lottie_values import moving
from fern_tide.core.scene.svg.colours import colour_of
from fern_tide.core.scene.svg.geometry import Box, inverse, length

_CAPS = {"butt": 1, "round": 2, "square": 3}
_JOINS = {"miter": 1, "round": 2, "bevel": 3}
_ENDLESS = 1e6
"""Longer than any line, in px."""


@dataclass(frozen=True)
class Paints:
    """What paints shapes.

    Attributes:
        params: how curves become keys.
        gradients: those of a drawing.
    """

    params: KeyParams
    gradients: Gradients

    def group(self, name: str, ways: list[Item], paint: Mapping[str, Any], boxes: Sequence[Box]) -> Item:
        """Give the group of a shape with what paints it, the stroke over the fill.

        Args:
            name: the group's.
            ways: the shape's outlines.
            paint: its attributes and what moves them.
            boxes: about the shape, which gradients are laid over: see Gradients.item.
        """
        painted = self.of(paint, boxes)
        plain = [item for item in painted if "frame" not in item]
        return group(name, [*(ways if plain else ()), *plain, *self._framed(name, ways, painted)], transform())

    def of(self, paint: Mapping[str, Any], boxes: Sequence[Box]) -> list[Item]:
        """Give what paints a shape, by its attributes and what moves them; the stroke lies over the fill."""
        return [item for item in (self._stroked(paint, boxes), self._filled(paint, boxes)) if item is not None]

    def _framed(self, name: str, ways: list[Item], painted: list[Item]) -> list[Item]:
        """Put what has a frame of its own into that, the outlines out of it again."""
        out = []
        for item in painted:
            if (frame := item.pop("frame", None)) is not None and (back := inverse(frame)) is not None:
                shape = group(name, list(ways), matrix_transform(back))
                out.append(group("(frame)", [shape, item], matrix_transform(frame)))
        return out

    def _filled(self, paint: Mapping[str, Any], boxes: Sequence[Box]) -> Item | None:
        opacity = number(paint.get("fill-opacity", "1"), 1.0)
        item = self._painted(("fl", "gf"), _own(paint, "fill"), opacity, boxes)
        if item is not None:
            item["r"] = 2 if paint.get("fill-rule", "nonzero") == "evenodd" else 1
        return self._moved(item, paint, "fill")

    def _stroked(self, paint: Mapping[str, Any], boxes: Sequence[Box]) -> Item | None:
        width, opacity = number(paint.get("stroke-width", "1"), 1.0), number(paint.get("stroke-opacity", "1"), 1.0)
        if width == 0 and not any(name.startswith("stroke") and name.endswith("moved") for name in paint):
            return None
        item = self._painted(("st", "gs"), _own(paint, "stroke"), opacity, boxes)
        if item is None:
            return None
        item["w"] = still(width)
        item["lc"] = _CAPS.get(paint.get("stroke-linecap", "butt"), 1)
        item["lj"] = _JOINS.get(paint.get("stroke-linejoin", "miter"), 1)
        item["ml"] = float(length(paint.get("stroke-miterlimit", "4")) or 4.0)
        offset = length(paint.get("stroke-dashoffset", "0")) or 0.0
        if dashes := dashes_of(paint.get("stroke-dasharray", "none")):
            item["d"] = _dashes(dashes, offset)
        elif "stroke-dashoffset moved" in paint:
            item["d"] = _dashes([_ENDLESS, 0.0], offset)  # its number goes along, and nothing is seen of it
        return self._moved(item, paint, "stroke")

    def _painted(self, kinds: tuple[str, str], text: str, opacity: float, boxes: Sequence[Box]) -> Item | None:
        """Give what SVG calls so, as one of two kinds: plain, or a gradient; None for none, and what is not known."""
        if text.startswith("url("):
            name, _, otherwise = text[4:].partition(")")
            item = self.gradients.item(kinds[1], name.strip(" '\"")[1:], opacity, boxes)
            return (
                item if item is not None or not otherwise else self._painted(kinds, otherwise.strip(), opacity, boxes)
            )
        known = colour_of(text)
        return None if known is None else solid(kinds[0], known[0], opacity * known[1])

    def _moved(self, item: Item | None, paint: Mapping[str, Any], name: str) -> Item | None:
        """Let a paint move as its curves do."""
        if item is None:
            return None
        if (curve := paint.get(f"{name} moved")) is not None and "c" in item:
            item["c"] = moving(opaque(curve.values), self.params)
        if (curve := paint.get(f"{name}-opacity moved")) is not None:
            item["o"] = moving(100 * np.atleast_2d(curve.values), self.params, one=True)
        if (curve := paint.get(f"{name}-width moved")) is not None:
            item["w"] = moving(np.atleast_2d(curve.values), self.params, one=True)
        if (curve := paint.get(f"{name}-dashoffset moved")) is not None and "d" in item:
            item["d"][-1]["v"] = moving(np.atleast_2d(curve.values), self.params, one=True)
        return item


def dashes_of(text: str) -> list[float]:
    """Read the lengths of dashes and gaps; none where a line is whole (SVG 2, 13.5.6)."""
    lengths = [length(word) for word in text.replace(",", " ").split()]
    known = [px for px in lengths if px is not None and px >= 0]
    return known if len(known) == len(lengths) and sum(known) > 0 else []


def _dashes(lengths: list[float], offset: float) -> list[Item]:
    """Give dashes and gaps in turn; each has a name of its own, without which players show nothing at all."""
    whole = lengths if len(lengths) % 2 == 0 else lengths * 2
    parts = [{"n": "dg"[at % 2], "nm": f"dash {at}", "v": still(value)} for at, value in enumerate(whole)]
    return [*parts, {"n": "o", "nm": "offset", "v": still(offset)}]


def solid(kind: str, rgb: list[float], opacity: float) -> Item:
    """Give a fill ('fl') or stroke ('st') of one colour, in sRGB from 0 to 1."""
    return {"ty": kind, "c": still([*rgb, 1.0]), "o": still(100 * opacity)}


def _own(paint: Mapping[str, Any], name: str) -> str:
    """Give a paint as it is written, or the colour that it takes over."""
    text = str(paint.get(name, "none"))
    return str(paint.get("color", "#000000")) if text.lower() == "currentcolor" else text


def opaque(rgb: FloatArray) -> FloatArray:
    """Give colours, shape (3, frames), with an opacity of 1 as the fourth row."""
    return np.concatenate([rgb, np.ones((1, rgb.shape[1]))])


def number(text: str, otherwise: float) -> float:
    """Read a number of a presentation attribute."""
    try:
        return float(text.removesuffix("px"))
    except ValueError:
        return otherwise
