"""Text of drawings as outlines of the fonts that ship with the application (SVG 2, 11: 'Text').

Words in another font are written in the one of ours that is nearest to it. Lines are laid out as SVG lays them: letter
by letter from the left, white space collapsed, from anchor to anchor.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import groupby
from types import MappingProxyType

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.lottie_shapes import tag_of
from fern_tide.core.scene.lettering import glyph_loops
from fern_tide.core.scene.parts.text import FAMILIES, Font
from fern_tide.core.scene.svg.geometry import Box, length

STYLES = ("font-family", "font-size", "letter-spacing", "word-spacing", "text-anchor", "dominant-baseline")
"""The attributes that say how text is laid out, and are passed on."""
_USUAL_SIZE = 16.0
_LIFTS = {"middle": 0.25, "central": 0.34, "hanging": 0.72, "text-before-edge": 0.95}
"""How far a line's baseline is below it, in em: where letters of most fonts have their middle or their top."""
_SANS, _SERIF, _MONO = ("sans",), ("serif", "times", "georgia", "garamond", "roman"), ("mono", "courier", "consol")


@dataclass
class Run:
    """Letters of one element in a text.

    Attributes:
        elements: that they lie in, from the text's child down to their own; none of the text itself.
        loops: their outlines in the text's own coordinates, closed, each of shape (points, 2).
    """

    elements: tuple[ET.Element, ...]
    loops: list[FloatArray] = field(default_factory=list)


@dataclass
class _Letter:
    """A letter, what it lies in, how it is laid out, and what is said of its place."""

    text: str
    elements: tuple[ET.Element, ...]
    style: Mapping[str, str]
    place: dict[str, float] = field(default_factory=dict)
    left: float = 0.0
    line: float = 0.0

    @property
    def size(self) -> float:
        return float(self.style["font-size"])

    @property
    def font(self) -> str:
        return str(font_of(self.style.get("font-family", "")))

    @property
    def width(self) -> float:
        """How far it moves on what follows, in px."""
        between = _size(self.style.get("letter-spacing", ""), 0.0, em=self.size)
        if self.text == " ":
            between += _size(self.style.get("word-spacing", ""), 0.0, em=self.size)
        return glyph_loops(self.text, self.font)[0] * self.size + between

    def loops(self) -> Iterator[FloatArray]:
        """Give its outlines where it stands."""
        lift = _LIFTS.get(self.style.get("dominant-baseline", ""), 0.0) * self.size
        for loop in glyph_loops(self.text, self.font)[1]:
            yield loop * self.size + np.array([self.left, self.line + lift])


def font_of(family: str) -> Font:
    """Give the font of ours that is nearest to a list of families."""
    words = family.lower()
    ours = [(words.find(name.split(",")[0].strip("'").lower()), font) for font, name in FAMILIES.items()]
    if any(at >= 0 for at, _ in ours):
        return min((at, font) for at, font in ours if at >= 0)[1]
    for font, names in ((Font.MONO, _MONO), (Font.SANS, _SANS), (Font.SERIF, _SERIF)):
        if any(name in words for name in names):
            return font
    return Font.SANS


def runs_of(text: ET.Element, style: Mapping[str, str] = MappingProxyType({})) -> list[Run]:
    """Lay a text out.

    Args:
        text: the element.
        style: what it inherits of STYLES.
    """
    letters = _collapsed(_letters(text, (), _styled(text, style)))
    _place(letters, text)
    _set(letters)
    runs = []
    for elements, own in groupby(letters, key=lambda one: one.elements):
        runs.append(Run(elements, [loop for letter in own for loop in letter.loops()]))
    return [run for run in runs if run.loops]


def box_of_runs(runs: list[Run]) -> list[Box]:
    """Give the box of all letters as a list of one; none of nothing."""
    if not runs:
        return []
    points = np.concatenate([loop for run in runs for loop in run.loops])
    (left, top), (right, low) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return [(left, top, right, low)]


def straight(loop: FloatArray) -> FloatArray:
    """Give a loop of shape (points, 2) as curves, shape (points, 4, 2)."""
    way = np.roll(loop, -1, axis=0) - loop
    return np.stack([loop, loop + way / 3, loop + 2 * way / 3, loop + way], axis=1)


def _letters(element: ET.Element, inside: tuple[ET.Element, ...], style: Mapping[str, str]) -> Iterator[_Letter]:
    """Give the letters of an element as they are written."""
    if element.get("display") == "none" or tag_of(element) == "textPath":
        return
    yield from (_Letter(" " if one in "\n\t\r" else one, inside, style) for one in element.text or "")
    for child in element:
        if tag_of(child) in {"tspan", "a"}:
            yield from _letters(child, (*inside, child), _styled(child, style))
        yield from (_Letter(" " if one in "\n\t\r" else one, inside, style) for one in child.tail or "")


def _place(letters: list[_Letter], text: ET.Element) -> None:
    """Take what elements say of the places of their letters, the innermost last."""
    whose: dict[ET.Element, list[_Letter]] = {text: letters}
    for letter in letters:
        for element in letter.elements:
            whose.setdefault(element, []).append(letter)
    for element, own in sorted(whose.items(), key=lambda pair: len(pair[1]), reverse=True):
        for letter, place in zip(own, _places(element, em=own[0].size if own else 0.0), strict=False):
            letter.place |= place


def _places(element: ET.Element, *, em: float) -> list[dict[str, float]]:
    """Give what an element says of the places of its first letters."""
    lists = {
        name: [_size(word, 0.0, em=em) for word in element.get(name, "").replace(",", " ").split()]
        for name in ("x", "y", "dx", "dy")
    }
    longest = max(map(len, lists.values()))
    return [{name: values[at] for name, values in lists.items() if at < len(values)} for at in range(longest)]


def _styled(element: ET.Element, above: Mapping[str, str]) -> dict[str, str]:
    """Give how an element's words are laid out, the size in px."""
    em = _size(above.get("font-size", ""), _USUAL_SIZE, em=_USUAL_SIZE)
    own = {name: text for name in STYLES if (text := element.get(name)) not in {None, "inherit"} and text is not None}
    return {**above, **own, "font-size": str(_size(own.get("font-size", ""), em, em=em))}


def _size(text: str, otherwise: float, *, em: float) -> float:
    """Read a length in px that may be a share of a font's size."""
    for unit, factor in (("em", em), ("rem", _USUAL_SIZE), ("ex", em / 2), ("%", em / 100)):
        share = length(text.strip().removesuffix(unit)) if text.strip().endswith(unit) else None
        if share is not None:
            return share * factor
    px = length(text)
    return otherwise if px is None else px


def _collapsed(letters: Iterable[_Letter]) -> list[_Letter]:
    """Leave out white space at the ends, and all but the first of several."""
    out: list[_Letter] = []
    for letter in letters:
        if letter.text != " " or (out and out[-1].text != " "):
            out.append(letter)
    return out[:-1] if out and out[-1].text == " " else out


def _set(letters: list[_Letter]) -> None:
    """Put letters in their places: stretches from one place to the next are laid about their anchors."""
    chunks: list[list[_Letter]] = []
    for letter in letters:
        if not chunks or "x" in letter.place or "y" in letter.place:
            chunks.append([])
        chunks[-1].append(letter)
    x = y = 0.0
    for chunk in chunks:
        x, y = chunk[0].place.get("x", x), chunk[0].place.get("y", y)
        start = x + chunk[0].place.get("dx", 0.0)
        for letter in chunk:
            x, y = x + letter.place.get("dx", 0.0), y + letter.place.get("dy", 0.0)
            letter.left, letter.line = x, y
            x += letter.width
        share = {"middle": 0.5, "end": 1.0}.get(chunk[0].style.get("text-anchor", ""), 0.0)
        for letter in chunk:
            letter.left -= share * (x - start)
        x -= share * (x - start)
