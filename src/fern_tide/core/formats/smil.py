"""SMIL animations: what makes an SVG element move by itself, written and read.

A curve with a key a frame is written as even values, the last one twice, over the project's length, so that at frame
k's own time, k / rate, the value is exactly that of frame k; even values need no keyTimes. Fewer keys, and those of
steps, carry keyTimes, one per value, of ten decimals, just before the frame, by what browsers round times by.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from math import atan2, degrees, floor, hypot
from typing import TypeAlias

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.signal import FloatArray, at_or_before
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.scene.outlines import Outline
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.geometry import NUMBER, matrix_of, number

MARK = "fern-tide-"
_TIME_LETTERS = 13  # of a key's time: 0.1234567890;
_Timed: TypeAlias = tuple[list[str], FloatArray | None]
"""The texts of keys, and their times as shares of the whole; none for a value a frame."""
_EARLY = 2e-7  # of the time: some browsers count it in single precision,
_EARLY_S, _EARLY_FRAMES = 1e-3, 0.25  # and some in whole milliseconds


@dataclass
class Clock:
    """How long it all takes, and how many animations there are so far.

    Attributes:
        n_frames: the project's length.
        duration_s: the same in seconds.
        params: how curves become keys.
    """

    n_frames: int
    duration_s: float
    params: KeyParams
    count: int = field(default=0)


def animate(curve: Curve, attribute: str, clock: Clock) -> ET.Element:
    """Write the animation of one attribute."""
    rows = np.atleast_2d(curve.values)

    def texts(values: FloatArray) -> list[str]:
        return _colours(values) if curve.kind == "colour" else [number(value) for value in values[0].tolist()]

    keys = keyed(rows, clock, spans=np.full(len(rows), curve.span))
    return _animation("animate", {"attributeName": attribute}, _shorter(keys, clock, texts), clock)


def _colours(srgb: FloatArray) -> list[str]:
    """Write colours in percent, which is finer than 256 steps a channel."""
    texts = [[number(value) for value in row] for row in (np.clip(srgb, 0.0, 1.0) * 100).round(3).tolist()]
    return [f"rgb({r}%,{g}%,{b}%)" for r, g, b in zip(*texts, strict=True)]


def read_colour(text: str) -> FloatArray:
    """Read a colour as it is written here, as sRGB from 0 to 1, shape (3,)."""
    if text.startswith("#"):
        return parse_colour(text)
    return np.array([float(word) for word in text.removeprefix("rgb(").rstrip(")").replace("%", "").split(",")]) / 100


def animate_transform(rows: FloatArray, verb: str, clock: Clock, *, adds: bool = False) -> ET.Element:
    """Write the animation of one transform.

    Args:
        rows: its numbers, shape (numbers, frames), as SVG counts them.
        verb: translate, rotate, scale or skewX.
        clock: how long it takes.
        adds: whether it comes behind those before it, or replaces what the element had.
    """

    def texts(values: FloatArray) -> list[str]:
        return [" ".join(number(value) for value in at) for at in values.T.tolist()]

    attributes = {"attributeName": "transform", "type": verb} | ({"additive": "sum"} if adds else {})
    return _animation("animateTransform", attributes, _shorter(keyed(rows, clock), clock, texts), clock)


def animate_path(part: Part, levels: FloatArray, clock: Clock) -> ET.Element:
    """Write the animation of a sound graphic's outline, one a frame always: many levels thin badly together.

    Args:
        part: the graphic.
        levels: shape (levels, frames).
        clock: how long it takes.
    """
    assert part.kind.path is not None
    texts = [part.kind.path(part.shape.params, column) for column in levels.T]
    return _animation("animate", {"attributeName": "d"}, (texts, None), clock)


def animate_outline(outline: Outline, keys: Keyed, clock: Clock) -> ET.Element:
    """Write the animation of an outline that shapers move.

    Args:
        outline: of one element.
        keys: how much of each shape is seen, its rows the shapes.
        clock: how long it takes.
    """

    def texts(values: FloatArray) -> list[str]:
        return [outline.data(points) for points in outline.at(values.T)]

    return _animation("animate", {"attributeName": "d"}, _shorter(keys, clock, texts), clock)


@dataclass(frozen=True)
class Keyed:
    """Rows of numbers with the keys that stand for them.

    Attributes:
        every: a value a frame, or one where they stand still, shape (rows, frames).
        few: the values of the keys, shape (rows, keys).
        times: of the keys, as shares of the whole, shape (keys,); None where there is one a frame.
    """

    every: FloatArray
    few: FloatArray
    times: FloatArray | None


def keyed(rows: FloatArray, clock: Clock, *, spans: FloatArray | None = None) -> Keyed:
    """Give the keys of rows that share them.

    Args:
        rows: shape (rows, frames).
        clock: how long they take, and how curves become keys.
        spans: see KeyParams.keys; without them, rows that stand still are one value.
    """
    if spans is None and rows.size and (rows == rows[:, :1]).all():
        rows = rows[:, :1]
    if clock.params.error_percent == 0 and clock.params.interpolation is Interpolation.LINEAR:
        return Keyed(rows, rows, None)
    keys = clock.params.keys(rows, spans=spans)
    times = np.asarray(keys.frames / clock.n_frames, dtype=np.float64)
    if clock.params.interpolation is Interpolation.STEP:
        early_s = min(_EARLY_S, _EARLY_FRAMES * clock.duration_s / clock.n_frames)
        times = at_or_before(times * (1.0 - _EARLY) - early_s / clock.duration_s).astype(np.float64)
    return Keyed(rows, keys.values, times)


def _shorter(keys: Keyed, clock: Clock, texts: Callable[[FloatArray], list[str]]) -> _Timed:
    """Give keys and their times, or a value a frame without times where that is shorter to write."""
    few = texts(keys.few)
    if keys.times is None or clock.params.interpolation is Interpolation.STEP:
        return few, keys.times
    if sum(map(len, few)) + len(few) * _TIME_LETTERS < keys.every.shape[1] * min(map(len, few)):
        return few, keys.times  # surely shorter: the values of all frames need not be written to tell
    every = texts(keys.every)
    return (few, keys.times) if _length(few) + len(few) * _TIME_LETTERS < _length(every) else (every, None)


def _length(texts: list[str]) -> int:
    return sum(map(len, texts)) + len(texts)


def _animation(tag: str, attributes: Mapping[str, str], timed: _Timed, clock: Clock) -> ET.Element:
    clock.count += 1
    texts, times = timed
    step = clock.params.interpolation is Interpolation.STEP
    animation = {
        "id": f"{MARK}{clock.count}",
        **attributes,
        "dur": f"{clock.duration_s:.9f}s",
        "repeatCount": "indefinite",
        "calcMode": "discrete" if step else "linear",
        "values": ";".join([*texts, *texts[-1:]]),
    }
    if times is not None:
        animation["keyTimes"] = ";".join([f"{floor(time * 1e10) / 1e10:.10f}" for time in times.tolist()] + ["1"])
    return ET.Element(tag, animation)


@dataclass(frozen=True)
class Link:
    """A place that moves: across, down, turn, width and height, each of shape (frames,), about an anchor."""

    rows: Mapping[str, FloatArray]
    anchor: tuple[float, float]

    def pieces(self) -> list[tuple[str, FloatArray]]:
        """Give it as transforms of SVG: their verbs, and their numbers of shape (numbers, frames)."""
        ax, ay = self.anchor
        rows, still = self.rows, np.ones(1)
        return [
            ("translate", np.stack([rows["x"] + ax, rows["y"] + ay])),
            ("rotate", rows["turn"][np.newaxis]),
            ("scale", np.stack([rows["scale_x"], rows["scale_y"]])),
            ("translate", np.stack([-ax * still, -ay * still])),
        ]


PIECES = 4
"""Of a link."""


def chain(links: Sequence[Link], *, base: str, clock: Clock) -> list[ET.Element]:
    """Write the place of an element that has a transform of its own: moved, turned and scaled before that transform.

    The first animation replaces the element's transform, the others are added behind it, and the last ones say the
    element's own transform again, so that the attribute itself stays as it is.

    Args:
        links: what it was put together in, the outermost first, and its own place.
        base: the element's own transform.
        clock: how long it takes.
    """
    pieces = [piece for link in links for piece in link.pieces()]
    if base:
        a, b, c, d, e, f = matrix_of(base)
        wide = hypot(a, b)
        tall = (a * d - b * c) / wide if wide else 0.0
        lean = degrees(atan2(a * c + b * d, a * d - b * c)) if wide else 0.0
        pieces += [
            ("translate", np.array([[e], [f]])),
            ("rotate", np.array([[degrees(atan2(b, a))]])),
            ("skewX", np.array([[lean]])),
            ("scale", np.array([[wide], [tall]])),
        ]
    return [animate_transform(numbers, verb, clock, adds=place > 0) for place, (verb, numbers) in enumerate(pieces)]


def values_in(element: ET.Element | None, tag: str, *, attribute: str, n_frames: int) -> list[list[str]]:
    """Give the texts at every frame of each of an element's own animations of an attribute, as a browser finds them."""
    rows = []
    for animation in element if element is not None else ():
        if animation.tag.rsplit("}", 1)[-1] != tag or animation.get("attributeName") != attribute:
            continue
        texts = (animation.get("values") or "").split(";")
        if "keyTimes" in animation.attrib:
            times = np.array([float(text) for text in animation.attrib["keyTimes"].split(";")])
            rows.append(_between(texts[:-1], times[:-1] * n_frames, n_frames, animation.get("calcMode") == "discrete"))
        else:
            rows.append(texts[:-1] * (n_frames if len(texts) == 2 else 1))
    return rows


def _between(texts: Sequence[str], frames: FloatArray, n_frames: int, steps: bool) -> list[str]:
    at = np.arange(n_frames)
    if steps:
        return [texts[place] for place in np.searchsorted(frames, at, side="right") - 1]
    colour = texts[0].startswith(("#", "rgb"))
    rows = np.array([read_colour(t) if colour else [float(word) for word in NUMBER.findall(t)] for t in texts]).T
    dense = np.stack([np.interp(at, frames, row) for row in rows])
    if colour:
        return _colours(dense)
    return [" ".join(repr(float(value)) for value in column) for column in dense.T]
