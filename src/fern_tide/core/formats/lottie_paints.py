"""Paints of shapes in Lottie, with what moves in them: fills, strokes, and the stops of gradients."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_shapes import Item, fill, gradient_numbers, stops, stroke
from fern_tide.core.formats.lottie_values import moving
from fern_tide.core.scene.svg.geometry import Box


@dataclass(frozen=True)
class Paints:
    """What paints shapes.

    Attributes:
        params: how curves become keys.
        servers: the gradients of a drawing, by their ids.
        stops_of: says whose a gradient's stops are, and by what curves their colours move.
    """

    params: KeyParams
    servers: Mapping[str, ET.Element]
    stops_of: Callable[[ET.Element], list[tuple[str, Curve | None]]]

    def of(self, paint: Mapping[str, Any], box: Box | None) -> list[Item]:
        """Give what paints a shape, by its attributes and what moves them; the stroke lies over the fill."""
        return [item for item in (self._stroked(paint, box), self._filled(paint, box)) if item is not None]

    def _filled(self, paint: Mapping[str, Any], box: Box | None) -> Item | None:
        opacity = number(paint.get("fill-opacity", "1"), 1.0)
        text, rule = _own(paint, "fill"), paint.get("fill-rule", "nonzero")
        return self._painted(fill(text, opacity, rule=rule, paints=self.servers, box=box), paint, "fill")

    def _stroked(self, paint: Mapping[str, Any], box: Box | None) -> Item | None:
        width, opacity = number(paint.get("stroke-width", "1"), 1.0), number(paint.get("stroke-opacity", "1"), 1.0)
        if width == 0 and not any(name.startswith("stroke") and name.endswith("moved") for name in paint):
            return None
        item = stroke(_own(paint, "stroke"), opacity, width=width, style=paint, paints=self.servers, box=box)
        item = self._painted(item, paint, "stroke")
        if item is not None and (curve := paint.get("stroke-width moved")) is not None:
            item["w"] = moving(np.atleast_2d(curve.values), self.params, one=True)
        return item

    def _painted(self, item: Item | None, paint: Mapping[str, Any], name: str) -> Item | None:
        """Let a paint move as its curves do."""
        if item is None:
            return None
        if (curve := paint.get(f"{name} moved")) is not None and "c" in item:
            item["c"] = moving(opaque(curve.values), self.params)
        if (curve := paint.get(f"{name}-opacity moved")) is not None:
            item["o"] = moving(100 * np.atleast_2d(curve.values), self.params, one=True)
        if "g" in item:
            self._shining(item, self.servers[paint.get(name, "")[5:].partition(")")[0]])
        return item

    def _shining(self, item: Item, server: ET.Element) -> None:
        """Let the stops of a gradient move in colour; it is named by whose they are."""
        whose = self.stops_of(server)
        n_frames = max((curve.n_frames for _, curve in whose if curve is not None), default=0)
        if not n_frames:
            return
        marks, rows = stops(server), []
        for frame in range(n_frames):
            colours = [None if curve is None else curve.values[:, frame].tolist() for _, curve in whose]
            both = zip(marks, colours, strict=True)
            rows.append(gradient_numbers([(at, moved or own, much) for (at, own, much), moved in both]))
        item["g"]["k"] = moving(np.array(rows).T, self.params)
        item["nm"] = " ".join(name for name, _ in whose)


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
