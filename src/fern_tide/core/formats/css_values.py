"""Curves as what CSS animates: places, turns, opacity and paints by their own names, all else as registered numbers.

A browser moves an element by translate, rotate and scale in this order about transform-origin (CSS Transforms 2), which
is a part's own order about its anchor. Frame k of n is at the share k/n of the animation's length.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, Keys
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, KeyParams
from fern_tide.core.scene.scene import Part

_PAIRS = {"translate": ("x", "y"), "scale": ("scale_x", "scale_y")}
_SINGLE = {
    "turn": ("rotate", "deg"),
    "opacity": ("opacity", ""),
    "fill": ("fill", ""),
    "stroke": ("stroke", ""),
    "stroke_width": ("stroke-width", "px"),
    "fill_opacity": ("fill-opacity", ""),
    "stroke_opacity": ("stroke-opacity", ""),
}
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?")


@dataclass(frozen=True)
class CssChannel:
    """A CSS property of a part that moves.

    Attributes:
        part: whose.
        name: of the property in CSS.
        sources: the properties that its numbers are, in their order.
        rows: their values, shape (numbers, frames), or (3, frames) of a colour.
        spans: what an error is a share of, per row.
        unit: what a number is written with.
        colour: whether it is one.
    """

    part: Part
    name: str
    sources: tuple[str, ...]
    rows: FloatArray
    spans: FloatArray
    unit: str
    colour: bool = False

    @property
    def js_name(self) -> str:
        """The property's name in scripts."""
        head, *rest = self.name.split("-")
        return self.name if self.name.startswith("--") else head + "".join(word.capitalize() for word in rest)

    @property
    def registered(self) -> bool:
        """Whether it is no property of CSS itself."""
        return self.name.startswith("--")

    def text(self, values: list[float]) -> str:
        """Write its value."""
        if self.colour:
            return "rgb(" + " ".join(f"{100 * value:.6g}%" for value in values) + ")"
        return " ".join(f"{value:.9g}{self.unit}" for value in values)

    def keys(self, params: KeyParams) -> Keys:
        """Give its keys; a cubic is written as straight lines, a key a frame."""
        if params.interpolation is Interpolation.CUBIC:
            params = KeyParams()
        return params.keys(self.rows, spans=self.spans)

    def read(self, texts: list[str]) -> FloatArray:
        """Read values as they were written, shape of rows."""
        rows = np.array([[float(word) for word in _NUMBER.findall(text)] for text in texts]).T
        return rows / 100 if self.colour else rows


def channels(hand_off: HandOff) -> Iterator[CssChannel]:
    """Give what moves, part by part."""
    for part_id, curves in hand_off.by_part.items():
        part, left = hand_off.scene.part(part_id), dict(curves)
        hand_off.progress(len(curves))
        if hand_off.scene.kind == "2d" and part.kind.looks:
            for name, pair in _PAIRS.items():
                if any(one in left for one in pair):
                    yield _pair(part, name, pair, left, hand_off.n_frames)
                    for one in pair:
                        left.pop(one, None)
            for own, (name, unit) in _SINGLE.items():
                if own in left:
                    yield _single(part, name, unit, left.pop(own))
        for curve in left.values():
            yield _single(part, f"--{curve.target.property.replace('_', '-')}", "", curve)


def _pair(part: Part, name: str, pair: tuple[str, ...], curves: dict[str, Curve], n_frames: int) -> CssChannel:
    rows = [curves[one].values if one in curves else np.full(n_frames, float(part.own(one))) for one in pair]
    spans = [curves[one].span if one in curves else 0.0 for one in pair]
    return CssChannel(part, name, pair, np.stack(rows), np.array(spans), "px" if name == "translate" else "")


def _single(part: Part, name: str, unit: str, curve: Curve) -> CssChannel:
    rows = np.atleast_2d(curve.values)
    colour = curve.kind == "colour"
    return CssChannel(part, name, (curve.target.property,), rows, np.full(len(rows), curve.span), unit, colour)


def read_channels(
    hand_off: HandOff, texts_of: Callable[[CssChannel], tuple[FloatArray, list[str], bool] | None]
) -> dict[Target, FloatArray]:
    """Read curves back.

    Args:
        hand_off: what was written.
        texts_of: gives a channel's moments as shares, its values as text, and whether they are steps; None where it is
            not there.
    """
    curves: dict[Target, FloatArray] = {}
    frames = np.arange(hand_off.n_frames)
    for channel in channels(hand_off):
        texts_known = texts_of(channel)
        if texts_known is None:
            continue
        shares, texts, steps = texts_known
        moments, rows = shares * hand_off.n_frames, channel.read(texts)
        if steps:
            place = np.clip(np.searchsorted(moments, frames + 1e-6, side="right") - 1, 0, None)
            dense = rows[:, place]
        else:
            dense = np.stack([np.interp(frames, moments, row) for row in rows])
        if channel.colour:
            curves[Target(part=channel.part.id, property=channel.sources[0])] = dense
        else:
            for source, row in zip(channel.sources, dense, strict=True):
                curves[Target(part=channel.part.id, property=source)] = row
    return curves
